"""Columns that are checked when read: a value or document nobody can read breaks nothing."""

import json
import unittest
from datetime import date, datetime

from sqlalchemy.dialects.sqlite import dialect

from mirvo.core.errors import Damaged
from mirvo.core.record import Record
from mirvo.records.columns import Count, Day, DayOfYear, Moment, Number, PydanticColumn, Words
from mirvo.records.models import Table


class Note(Record):
    """A document as it is now; before version 2 its text was called `words`."""

    text: str
    loud: bool = False


class ColumnTest(unittest.TestCase):
    def setUp(self):
        steps = {1: lambda body: {"text": body["words"]}}
        self.column = PydanticColumn(Note, version=2, upgrades=steps)

    def read(self, kept, column=None):
        return (column or self.column).process_result_value(json.dumps(kept), None)

    def test_what_goes_in_comes_out_with_its_version(self):
        kept = self.column.process_bind_param(Note(text="Wurzelhals", loud=True), None)
        self.assertEqual(json.loads(kept)["version"], 2)
        self.assertEqual(self.read(json.loads(kept)), Note(text="Wurzelhals", loud=True))
        self.assertIsNone(self.column.process_bind_param(None, None))

    def test_a_former_version_is_brought_up_to_date(self):
        self.assertEqual(self.read({"version": 1, "body": {"words": "old"}}), Note(text="old"))

    def test_what_nobody_can_read_is_nothing(self):
        for kept in ({"version": 2, "body": {"text": 7}}, {"version": 3, "body": {}}, [], {}):
            with self.subTest(kept=kept), self.assertLogs("mirvo.records.columns", "WARNING"):
                self.assertIsNone(self.read(kept))
        with self.assertLogs("mirvo.records.columns", "WARNING"):
            self.assertIsNone(self.column.process_result_value("{", None))

    def test_a_list_or_dict_nobody_can_read_is_an_empty_one(self):
        for kind, empty in ((dict[str, str], {}), (tuple[str, ...], ())):
            with self.assertLogs("mirvo.records.columns", "WARNING"):
                self.assertEqual(PydanticColumn(kind).process_result_value("{", None), empty)

    def test_what_must_not_be_written_over_is_refused(self):
        strict = PydanticColumn(Note, when_damaged="refuse")
        with self.assertRaises(Damaged):
            self.read({"version": 1, "body": {"words": "old"}}, strict)

    def test_just_the_names_that_were_given_are_kept(self):
        exact = PydanticColumn(Note, exactly=True)
        kept = exact.process_bind_param(Note(text="a"), None)
        self.assertEqual(json.loads(kept)["body"], {"text": "a"})


class ReadableTest(unittest.TestCase):
    """Days, moments and numbers as the driver hands them over."""

    def read(self, column, raw):
        return column.dialect_impl(dialect()).result_processor(dialect(), None)(raw)

    def test_what_is_sound_is_read_as_it_is(self):
        for column, raw, value in (
            (Day(), "2026-02-28", date(2026, 2, 28)),
            (Moment(), "2026-02-28 09:30:00.000000", datetime(2026, 2, 28, 9, 30)),
            (Moment(), "2026-02-28T09:30:00+14:00", datetime(2026, 2, 28, 9, 30)),
            (Moment(), "0001-01-01 00:00:00", None),
            (Moment(True), "9999-12-31 23:59:59", datetime(1970, 1, 1)),
            (Number(), 2.5, 2.5),
            (Count(), 10**18, 10**18),
            (Words(5), "Quay", "Quay"),
            (Words(5), b"F\xffer\x00ry", "F\ufffderry"),
            *((column(required), None, None) for column in (Day, Number) for required in (0, 1)),
        ):
            self.assertEqual(self.read(column, raw), value)

    def test_what_nobody_can_read_is_none_or_the_least_there_is(self):
        for kind, least, rubbish in (
            (Day, date.min, ("2026-02-30", "", "soon", 5, b"\xff")),
            (Moment, datetime(1970, 1, 1), ("99999-99-99", "", 5, b"\xff")),
            (Number, 0.0, ("many", float("inf"), -1e10, b"\xff")),
            (Count, 0, ("many", 1.5, b"\xff")),
            (Words, "", (5, 1.5)),
        ):
            for raw in rubbish:
                with self.subTest(kind=kind, raw=raw), self.assertLogs("mirvo.records.columns"):
                    self.assertIsNone(self.read(kind(), raw))
                    self.assertEqual(self.read(kind(required=True), raw), least)

    def test_a_day_of_the_year(self):
        frost = DayOfYear("04-20")
        for kept, said in (("05-03", "05-03"), ("5-3", "05-03"), ("02-29", "02-29")):
            self.assertEqual(frost.process_result_value(kept, None), said)
        for kept in ("", "13-01", "04-31", "\u00b2", "soon", "1-2-3", None):
            with self.subTest(kept=kept), self.assertLogs("mirvo.records.columns"):
                self.assertEqual(frost.process_result_value(kept, None), "04-20")

    def test_every_column_of_the_records_is_such_a_one(self):
        for table in Table.metadata.sorted_tables:
            for column in table.columns:
                own = column.primary_key or column.foreign_keys
                read = getattr(column.type, "required", None)
                if column.type.python_type in (date, datetime, float, int, str) and not own:
                    self.assertEqual(read, not column.nullable, column)
