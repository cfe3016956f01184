"""Seasons noted in the yard move the windows of its trees, everywhere alike."""

from datetime import UTC, date, datetime, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import checked
from mirvo.core.limits.trees import TreeFields
from mirvo.records.documents import SeasonSeen
from mirvo.studio.ground.settings import put_yard
from mirvo.studio.standing import seasons
from mirvo.studio.standing import species as use
from mirvo.studio.standing.seasons import OpenedFields, PlantFields, note_opened, note_plant
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.yard.trees import edit_tree
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio.standing.test_species import entry
from tests.studio_case import StudioCase


class SeasonsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree()

    def window(self):
        return self.read(standing_of, 1, self.studio.today).standing.next_window

    def note(self, day, words=""):
        note_opened(self.studio, "zelkova", OpenedFields(opened_on=day, season_note=words))

    def test_a_noted_spring_moves_the_next_by_a_third_and_says_so(self):
        usual = self.window()
        self.note(date(2026, 3, 7), "warm February")
        moved = self.window()
        self.assertEqual(moved.start, usual.start - timedelta(days=3))
        self.assertEqual(moved.reasons[0].source, "season notes")
        pages = TestClient(create_app(self.studio))
        for place in ("/trees/1", "/trees/1/time"):
            self.assertIn("3 days earlier, by 1 year noted here", pages.get(place).text)
        page = pages.get("/almanac/species/zelkova").text
        self.assertIn("9 days", page)
        self.assertIn("warm February", page)
        # The list of all species names the same window as the tree.
        self.assertIn(f"{moved.start.day} {moved.start:%b %Y}", pages.get("/almanac").text)
        sent = {"seen_on": "2026-03-07"}
        pages.post("/almanac/species/zelkova/opened/drop", data=sent)
        self.assertEqual(self.window().start, usual.start)

    def test_of_one_year_the_latest_note_holds(self):
        self.note(date(2026, 3, 7))
        self.note(date(2026, 3, 10))
        self.assertEqual([one.seen_on for one in self.yard().seasons_seen], [date(2026, 3, 10)])
        with self.assertRaises(BadInput):
            self.note(date(2027, 3, 1))
        with self.assertRaises(BadInput):
            self.note(None)

    def test_no_day_breaks_a_page_even_where_it_is_kept_already(self):
        for day in ("0001-01-01", "9999-12-31"):
            with self.assertRaises(BadInput):
                checked(OpenedFields, {"opened_on": day}, self.studio.today)
        seen = [
            SeasonSeen.model_construct(what=what, name="zelkova", seen_on=date(year, 1, 1), note="")
            for what in ("opened", "plant")
            for year in (1, 9999)
        ]
        with self.studio.writing() as db:
            put_yard(db, seasons_seen=tuple(seen))
        late = datetime(9990, 1, 1, tzinfo=UTC)
        for studio in (self.studio, self.opened(late)):
            pages = TestClient(create_app(studio))
            for place in ("/", "/trees/1", "/almanac", "/almanac/species/zelkova"):
                self.assertEqual(pages.get(place).status_code, 200, (place, studio.today))

    def test_a_plant_seen_this_year_moves_this_years_window(self):
        note_plant(
            self.studio, PlantFields(plant="blackthorn in flower", plant_on=date(2026, 3, 8))
        )
        self.note(date(2026, 3, 16))
        usual = self.window().start
        self.studio.clock = lambda: datetime(2027, 3, 1, 9, tzinfo=UTC)
        note_plant(
            self.studio, PlantFields(plant="Blackthorn in flower", plant_on=date(2027, 2, 25))
        )
        # Another spelling is another plant; the same one is found whatever its capitals.
        self.assertEqual(self.window().start, usual)
        note_plant(
            self.studio, PlantFields(plant="blackthorn in flower", plant_on=date(2027, 2, 25))
        )
        moved = self.window()
        self.assertEqual(moved.start, date(2027, 3, 5))
        self.assertIn("8 days after it in 1 year", moved.reasons[0].text)
        with self.assertRaises(NotFound):
            seasons.forget_seen(self.studio, "plant", "elder", date(2027, 2, 25))


class HistoryTest(StudioCase):
    def test_each_change_is_kept_with_its_reason_and_can_be_taken_back(self):
        self.tree()
        use.keep_entry(self.studio, "zelkova", entry(budget_steady=40), "two sulked in 2024")
        use.keep_entry(self.studio, "zelkova", entry(budget_steady=45, vigour="slow"))
        changes = self.read(use.changes_of, "zelkova")
        said = [(one.figure, one.was, one.became, one.why) for one in changes]
        self.assertIn(("budget_steady", "50", "40", "two sulked in 2024"), said)
        self.assertEqual(len(said), 3)
        use.take_back(self.studio, "zelkova", changes[-1].id)
        self.assertEqual(self.read(use.entry_of, "zelkova").changed, ["vigour"])
        newest = self.read(use.changes_of, "zelkova")[0]
        self.assertEqual((newest.became, newest.why), ("50", "taken back: two sulked in 2024"))
        with self.assertRaises(NotFound):
            use.take_back(self.studio, "privet", newest.id)


class GraftedTreeTest(StudioCase):
    def test_a_grafted_tree_is_judged_by_its_roots(self):
        tree = self.tree(species_key="japanese-white-pine", acquired_on=date(2010, 1, 1))
        before = self.read(standing_of, 1, self.studio.today)
        form = TreeFields(
            name=tree.name,
            species_key=tree.species_key,
            understock_key="weeping-willow",
            acquired_on=date(2010, 1, 1),
        )
        edit_tree(self.studio, 1, form, tree.version)
        after = self.read(standing_of, 1, self.studio.today)
        self.assertNotEqual(after.species.budget, before.species.budget)
        self.assertEqual(after.species.name, before.species.name)
        self.assertLess(after.standing.interval.years, before.standing.interval.years)
        bad = form.model_copy(update={"understock_key": "nothing"})
        with self.assertRaises(BadInput):
            edit_tree(self.studio, 1, bad, 2)

    def test_an_understock_keeps_its_own_species_in_the_almanac(self):
        key = use.add_entry(self.studio, "Wild pear", "crab-apple")
        self.tree(understock_key=key)
        with self.assertRaises(BadInput):
            use.lay_aside(self.studio, key)
