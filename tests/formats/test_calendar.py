"""The calendar file, read back by a parser."""

import unittest
from datetime import date, datetime, timedelta

import icalendar

from mirvo.formats.calendar import Entry, calendar_file

STAMP = datetime(2026, 11, 23, 9, 0)


def read(*entries):
    made = icalendar.Calendar.from_ical(calendar_file("Saltgate Yard", entries, STAMP))
    return made, list(made.walk("VEVENT"))


class CalendarFileTest(unittest.TestCase):
    def test_whole_days_with_their_end_after_the_last(self):
        made, [event] = read(
            Entry("care-1", date(2026, 12, 31), date(2026, 12, 31), "Shade", "Note")
        )
        self.assertEqual(str(made["X-WR-CALNAME"]), "Saltgate Yard")
        self.assertEqual(event.decoded("dtstart"), date(2026, 12, 31))
        self.assertEqual(event.decoded("dtend"), date(2027, 1, 1))
        self.assertEqual(str(event["UID"]), "care-1@mirvo")
        self.assertEqual((str(event["SUMMARY"]), str(event["DESCRIPTION"])), ("Shade", "Note"))

    def test_windows_over_leap_days_and_new_year(self):
        for first, last in (
            (date(2028, 2, 28), date(2028, 2, 29)),
            (date(2026, 12, 20), date(2027, 1, 10)),
        ):
            _, [event] = read(Entry("w", first, last, "Window"))
            length = event.decoded("dtend") - event.decoded("dtstart")
            self.assertEqual(length, last - first + timedelta(days=1))

    def test_what_people_write_is_escaped_and_long_lines_are_folded(self):
        title = "Root; cut, then \\ note\nsecond line " + "x" * 90 + " über"
        content = calendar_file("Y", [Entry("k", STAMP.date(), STAMP.date(), title)], STAMP)
        self.assertTrue(all(len(line) <= 75 for line in content.split(b"\r\n")))
        [event] = icalendar.Calendar.from_ical(content).walk("VEVENT")
        self.assertEqual(str(event["SUMMARY"]), title)
