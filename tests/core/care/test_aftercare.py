"""What follows a session, by anchor: the day, the tree's growth, the season."""

import unittest
from datetime import date, timedelta
from itertools import pairwise

from mirvo.core.almanac import rules, species_by_key
from mirvo.core.almanac.practice import preset
from mirvo.core.care import Worked, aftercare, surroundings
from mirvo.core.rootwork import KINDS, opens_ball
from mirvo.core.season import Outlook, Place
from mirvo.core.season.weather import DayWeather
from mirvo.standins.weather import SimulatedStation
from mirvo.text.care import care_title

NORTH, SOUTH = Place("04-20"), Place("10-05")
MILD, TROPICS = Place("03-01", frost_free=True), Place("01-15", frost_free=True)
BEECH, PINE, GARDENIA = "european-beech", "scots-pine", "gardenia"
DECEMBER, SUMMER = date(2026, 12, 5), date(2026, 6, 10)
NEEDS_LEAVES = {"feed", "shoots"}


def tasks(
    key=BEECH,
    kind="routine",
    done=DECEMBER,
    place=NORTH,
    strength="strong",
    outlook=None,
    shoots_on=None,
    forecast=(),
    answers=(),
    **work,
):
    worked = Worked(done, kind, strength, **work)
    around = surroundings(
        species_by_key(key), place, done, outlook or Outlook(), shoots_on, forecast
    )
    return aftercare(worked, {**preset("steady"), **dict(answers)}, around)


def dues(found, code):
    return [task.due for task in found if task.code == code]


def places(found):
    return [(task.since, task.due, task.values["needs"]) for task in found if task.code == "place"]


class DormantTest(unittest.TestCase):
    """A beech worked on 5 December: its window runs from 9 March to 13 April."""

    def test_it_waits_for_its_leaves(self):
        found = tasks()
        self.assertEqual(dues(found, "buds"), [date(2027, 3, 16)])
        self.assertEqual(dues(found, "shoots"), [date(2027, 5, 11)])
        self.assertEqual(dues(found, "feed"), [date(2027, 5, 13)])
        self.assertEqual(dues(found, "ties"), [date(2027, 5, 25)])
        weeks = [date(2027, 4, 27), date(2027, 5, 11), date(2027, 5, 25), date(2027, 6, 8)]
        self.assertEqual(dues(found, "look"), weeks)
        self.assertTrue(all(t.values["about"] for t in found if t.anchor == "growth"))

    def test_one_place_for_each_stretch(self):
        leaves, frost = date(2027, 4, 13), date(2027, 4, 20)
        self.assertEqual(
            places(tasks()),
            [
                (DECEMBER, leaves, ["frost"]),
                (leaves, frost, ["frost", "shade"]),
                (frost, date(2027, 4, 27), ["shade"]),
            ],
        )

    def test_a_stretch_of_a_few_days_joins_its_neighbour(self):
        found = places(tasks(answers={"after": "straight"}))
        self.assertEqual([needs for _, _, needs in found], [["frost"], ["frost", "shade"]])
        self.assertEqual(found[-1][1], date(2027, 4, 20))

    def test_buds_that_were_seen_move_what_waits(self):
        seen = Outlook(buds="buds swelling", seen_on=date(2027, 3, 1))
        found = tasks(outlook=seen)
        # Eight days before the usual beginning, so all of it comes eight days earlier.
        self.assertEqual(dues(found, "feed"), [date(2027, 5, 5)])
        self.assertEqual(dues(found, "buds"), [])
        self.assertFalse(any(task.values.get("about") for task in found))
        opened = tasks(outlook=Outlook(buds="leaves out", seen_on=date(2027, 4, 2)))
        self.assertEqual(dues(opened, "feed"), [date(2027, 5, 2)])

    def test_shoots_that_were_seen_beat_every_estimate(self):
        found = tasks(shoots_on=date(2027, 4, 20))
        self.assertEqual(dues(found, "feed"), [date(2027, 5, 20)])

    def test_what_is_looked_at_closely_is_the_bark_until_there_are_leaves(self):
        found = [task for task in tasks(kind="emergency") if task.code == "look"]
        early = [task for task in found if task.due < date(2027, 4, 13)]
        weeks = [DECEMBER + timedelta(weeks=week) for week in (1, 2, 3, 4)]
        self.assertEqual([task.due for task in early], weeks)
        self.assertTrue(all(task.values["things"][0] == "bark" for task in early))

    def test_an_evergreen_shows_its_needles_at_once(self):
        early = min(t for t in dues(tasks(PINE), "look"))
        self.assertEqual(early, DECEMBER + timedelta(weeks=4))
        self.assertEqual(dues(tasks(PINE), "feed")[0], date(2027, 5, 27))

    def test_a_larch_is_a_bare_tree_in_winter(self):
        self.assertTrue(
            all(due > date(2027, 3, 30) for due in dues(tasks("japanese-larch"), "look"))
        )


class GrowingTest(unittest.TestCase):
    """Work in June, with leaves on: all of it counts from the day."""

    def test_a_routine_session(self):
        found = tasks(done=SUMMER)
        after = {task.code: (task.due - SUMMER).days for task in found}
        self.assertEqual((after["feed"], after["ties"], after["shoots"]), (30, 42, 56))
        weeks = [SUMMER + timedelta(weeks=week) for week in (2, 4, 6, 8)]
        self.assertEqual(dues(found, "look"), weeks)
        self.assertEqual(places(found), [(SUMMER, SUMMER + timedelta(days=14), ["shade"])])
        self.assertEqual([task.due for task in found], sorted(task.due for task in found))

    def test_what_would_fall_into_winter_waits_for_spring(self):
        autumn = date(2026, 9, 20)
        found = tasks(done=autumn)
        # Leaf fall about 19 October, leaves again on 13 April.
        self.assertEqual(dues(found, "shoots"), [date(2027, 6, 8)])
        looks = dues(found, "look")
        self.assertEqual(looks[:2], [date(2026, 10, 4), date(2026, 10, 18)])
        self.assertTrue(all(due > date(2027, 4, 13) for due in looks[2:]))
        self.assertEqual(places(found)[-1][1], date(2027, 4, 20))

    def test_a_weak_tree_is_fed_only_once_shoots_stand(self):
        [feed] = [t for t in tasks(done=SUMMER, strength="weak") if t.code == "feed"]
        self.assertEqual((feed.due - SUMMER).days, 56)
        self.assertIn("only if new shoots", care_title(feed.code, feed.values))

    def test_more_than_a_tree_bears_is_looked_after_like_a_cutting(self):
        found = tasks("zelkova", done=SUMMER, as_cutting=True, answers={"after": "straight"})
        self.assertEqual(places(found), [(SUMMER, SUMMER + timedelta(days=42), ["cover"])])
        weeks = [SUMMER + timedelta(weeks=week) for week in (1, 2, 3, 4, 6, 8)]
        self.assertEqual(dues(found, "look"), weeks)
        # Zelkova strikes from its roots.
        self.assertEqual(dues(found, "crown"), dues(found, "cuttings"))
        self.assertEqual(dues(tasks(done=SUMMER, as_cutting=True, crown_reduced=True), "crown"), [])

    def test_shade_by_kind_strength_and_practice(self):
        straight = {"after": "straight"}
        for case, days in (
            ({"kind": "collection", "answers": straight}, 28),
            ({"kind": "change-soil", "answers": straight}, 28),
            ({"strength": "weak", "answers": straight}, 28),
            ({"answers": straight}, 3),
            ({}, 14),
        ):
            [(_, until, needs)] = places(tasks(done=SUMMER, **case))
            self.assertEqual(((until - SUMMER).days, needs), (days, ["shade"]), case)

    def test_findings_and_overshooting_add_their_own(self):
        usual, over = tasks(done=SUMMER), tasks(done=SUMMER, over_limit=True)
        self.assertGreater(len(dues(over, "look")), len(dues(usual, "look")))
        self.assertEqual(len(dues(tasks(done=SUMMER, rot=True), "look")), 6)
        after = [(due - SUMMER).days for due in dues(tasks(done=SUMMER, pests=True), "pest-check")]
        self.assertEqual(after, [14, 28])

    def test_only_flush_cuts_leave_wounds_to_follow(self):
        [wound] = [t for t in tasks(done=SUMMER, removed=("A", "C")) if t.code == "wound"]
        self.assertIn("A and C", care_title(wound.code, wound.values))
        self.assertEqual(dues(tasks(done=SUMMER), "wound"), [])

    def test_a_free_standing_tree_has_no_ties_to_look_at(self):
        self.assertEqual(dues(tasks(answers={"fixing": "free"}), "ties"), [])

    def test_what_only_delays_is_not_sheltered(self):
        found = tasks(kind="slip-pot", done=SUMMER)
        self.assertEqual(places(found), [])
        self.assertEqual(dues(found, "delayed"), [SUMMER + timedelta(days=365)])

    def test_kinds_with_a_follow_up_of_their_own(self):
        def days(kind, code):
            return [(due - SUMMER).days for due in dues(tasks(kind=kind, done=SUMMER), code)]

        # A graft of June moves its buds in July; a layer shows roots in eight weeks.
        self.assertEqual(days("graft", "graft-buds"), [28])
        self.assertEqual(days("layer", "layer-roots"), [56])
        self.assertEqual(days("layer", "layer-separate"), [112])
        self.assertEqual(days("collection", "second-session"), [730])


class ColdTest(unittest.TestCase):
    def test_nights_that_no_place_guards_are_named(self):
        done = date(2026, 5, 2)
        lows = (4.0, 0.5, 2.0, -3.0)
        coming = [DayWeather(done + timedelta(days=n), low, low + 8) for n, low in enumerate(lows)]
        [cold] = [task for task in tasks(done=done, forecast=coming) if task.code == "cold"]
        self.assertEqual((cold.due, cold.values["nights"]), (done + timedelta(days=1), 2))
        self.assertIn("down to -3 °C, 2 nights of the next ten", care_title("cold", cold.values))
        # In March it is kept free of frost anyway, and a delay opens no roots.
        march = date(2026, 3, 20)
        coming = [DayWeather(march + timedelta(days=n), low, 5.0) for n, low in enumerate(lows)]
        self.assertEqual(dues(tasks(done=march, forecast=coming), "cold"), [])
        self.assertEqual(dues(tasks(kind="slip-pot", done=done, forecast=coming), "cold"), [])

    def test_a_tender_tree_is_kept_warm_until_nights_suit_it(self):
        station = SimulatedStation("Brackwater", "04-20")
        # Brackwater has no night of 15 °C; a gardenia begins to grow on 18 May.
        *_, warm = [row for row in places(tasks(GARDENIA)) if "warm" in row[2]]
        self.assertEqual(warm[1], date(2027, 5, 18))
        by_station = places(tasks(GARDENIA, outlook=Outlook(station=station)))
        self.assertEqual([row for row in by_station if "warm" in row[2]][-1][1], warm[1])
        # A cotoneaster needs 5 °C, which nights in May have.
        found = places(tasks("cotoneaster", outlook=Outlook(station=station)))
        *_, warm = [row for row in found if "warm" in row[2]]
        self.assertGreaterEqual(station.normal(warm[1]).low_c, 5.0)
        self.assertLess(station.normal(warm[1] - timedelta(days=1)).low_c, 5.0)


class EveryYardTest(unittest.TestCase):
    """Yards in the north, the south, the tropics, without frost and under glass."""

    YARDS = (
        (NORTH, False, "north"),
        (SOUTH, False, "south"),
        (MILD, False, "frost-free"),
        (TROPICS, False, "tropics"),
        (NORTH, True, "glass"),
        (SOUTH, True, "glass in the south"),
    )
    TREES = (
        BEECH,
        "japanese-larch",
        PINE,
        "cotoneaster",
        "satsuki-azalea",
        GARDENIA,
        "bald-cypress",
    )
    DAYS = tuple(date(2026, month, 5) for month in (1, 3, 5, 7, 9, 11))
    KINDS = tuple(kind.key for kind in KINDS)

    def test_places_follow_one_another_and_keep_the_frost_away(self):
        for place, glass, name, key, day, kind in self.cases():
            found = tasks(key, kind, day, place, outlook=Outlook(under_glass=glass))
            with self.subTest(yard=name, tree=key, day=day, kind=kind):
                rows = places(found)
                for (_, until, first), (since, _, second) in pairwise(rows):
                    self.assertLessEqual(until, since)
                    self.assertNotEqual((until, first), (since, second))
                worked = opens_ball(kind)
                free = glass or place.frost_free
                guarded = any({"frost", "warm"} & set(needs) for _, _, needs in rows)
                if worked and not free and day.month not in self.frostless(place):
                    self.assertTrue(guarded)
                elif species_by_key(key).night_floor_c < rules().care.tender_from_c:
                    self.assertFalse(guarded)

    @staticmethod
    def frostless(place):
        """Months after whose fifth day the last frost lies more than 240 days ahead."""
        return (5, 7) if place is NORTH else (11, 1)

    def test_nothing_asks_for_leaves_of_a_bare_tree(self):
        # Well inside winter, whatever the year: no deciduous tree bears a leaf.
        bare = {"north": (11, 12, 1, 2), "south": (5, 6, 7, 8)}
        for place, glass, name, key, day, kind in self.cases():
            if not species_by_key(key).leafless_in_winter or name not in bare:
                continue
            for task in tasks(key, kind, day, place, outlook=Outlook(under_glass=glass)):
                asks = task.code in NEEDS_LEAVES or "leaf" in task.values.get("things", ())
                with self.subTest(yard=name, tree=key, day=day, kind=kind, code=task.code):
                    self.assertFalse(asks and task.due.month in bare[name], task.due)

    def test_tropical_trees_never_wait(self):
        for day in self.DAYS:
            found = tasks(GARDENIA, done=day, place=TROPICS)
            self.assertEqual(dues(found, "feed"), [day + timedelta(days=30)])
            self.assertNotIn("growth", {task.anchor for task in found})

    def test_every_task_has_words_and_a_name_of_its_own(self):
        for place, glass, name, key, day, kind in self.cases():
            found = tasks(
                key,
                kind,
                day,
                place,
                outlook=Outlook(under_glass=glass),
                removed=("B",),
                pests=True,
            )
            with self.subTest(yard=name, tree=key, day=day, kind=kind):
                named = [(task.code, task.step) for task in found]
                self.assertEqual(len(named), len(set(named)))
                for task in found:
                    title = care_title(task.code, task.values)
                    self.assertRegex(title, r"^[A-Z].+[.?]$")
                    self.assertGreaterEqual(task.due, day)

    def cases(self):
        for place, glass, name in self.YARDS:
            for key in self.TREES:
                for day in self.DAYS:
                    for kind in self.KINDS:
                        yield place, glass, name, key, day, kind


class TitleTest(unittest.TestCase):
    def test_what_another_version_wrote_still_says_something(self):
        self.assertEqual(care_title("some-later-code"), "Some later code.")
        self.assertEqual(care_title("look", {"things": "?"}), "Look at it.")

    def test_titles_are_whole_sentences(self):
        self.assertEqual(
            care_title("look", {"things": ["photo", "leaf", "shoots"]}),
            "Take a photo. Note lost leaves (%) and new shoots.",
        )
        self.assertEqual(
            care_title("place", {"needs": ["frost", "shade"], "last": False}),
            "Keep it free of frost and in half shade, out of the wind.",
        )
