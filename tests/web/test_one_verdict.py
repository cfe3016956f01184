"""Every place says the same of a tree on a day: the demo trees and many made-up ones."""

import random
import re
import unittest
from datetime import UTC, date, datetime, timedelta
from html import unescape

from mirvo.core.errors import BadInput
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.limits.trees import ORIGINS
from mirvo.core.standing.signs import SIGNS
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.cut_review import cut_review
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import YardFields, save_yard
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import path_view, plan_path
from mirvo.studio.path.target import set_target
from mirvo.studio.records.answers import DeathFields, say_died
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot, edit_pot, put_tree_in
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.tree_queries import load_tree, measured_base
from mirvo.studio.yard.triage import keep_signs
from mirvo.text.advice import headline
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.demo_yard import demo_copy
from tests.proofs import few_or_all
from tests.studio.bench_session.bench_case import entry
from tests.studio_case import StudioCase

SAID = re.compile(
    r'data-verdict="([^"]*)"\s+data-season="([^"]*)"\s+data-budget="([^"]*)"'
    r'\s+data-window="([^"]*)"(?:\s+data-tree="(\d+)")?'
)
SPECIES = (
    "zelkova",
    "gardenia",
    "trident-maple",
    "japanese-black-pine",
    "satsuki-azalea",
    "small-leaved-fig",
    "weeping-willow",
    "juniper",
)
DAYS = (date(2026, 11, 23), date(2027, 3, 28), date(2027, 6, 20), date(2027, 9, 5))


class Walk:
    """Asks every place about every tree and holds the answers together."""

    def __init__(self, case, studio):
        self.case, self.studio = case, studio
        self.client = TestClient(create_app(studio))

    def page(self, place):
        answer = self.client.get(place)
        self.case.assertEqual(answer.status_code, 200, place)
        return answer.text

    def at(self, day):
        self.studio.clock = lambda: datetime(day.year, day.month, day.day, 9, tzinfo=UTC)
        self.studio.settle(wholly=True)

    def lists(self, *places):
        """What pages with all trees say of each, by tree."""
        found = {}
        for *said, tree in SAID.findall("".join(map(self.page, places))):
            if tree:
                found.setdefault(int(tree), set()).add(tuple(said))
        return found

    def calendar(self):
        """First day of each tree's window and the verdict said with it, by tree."""
        text = self.page("/kit/calendar.ics").replace("\r\n ", "")
        found = {}
        for event in text.split("BEGIN:VEVENT")[1:]:
            tree = re.search(r"UID:window-(\d+)-", event)
            if tree:
                start = re.search(r"DTSTART;VALUE=DATE:(\d+)", event)[1]
                found[int(tree[1])] = (start, event)
        return found

    def days(self, trees, days=DAYS):
        for day in days:
            self.at(day)
            bench, listed, calendar = (
                self.lists("/", "/?page=2"),
                self.lists("/trees?form=ledger"),
                self.calendar(),
            )
            for tree in trees:
                with self.case.subTest(tree=tree, day=day):
                    self.one(tree, bench.get(tree), listed.get(tree), calendar.get(tree))

    def one(self, tree, bench, listed, calendar):
        with self.studio.reading() as db:
            stands = standing_of(db, tree, self.studio.today)
        verdict, standing = stands.usual_verdict, stands.standing
        start = verdict.window.start
        expected = (
            verdict.kind,
            standing.season.state,
            f"{standing.limits.budget * 100:.0f}%",
            start.isoformat(),
        )
        dead = stands.tree.died_on is not None
        if not dead:
            self.case.assertEqual(bench, {expected}, "bench")
            self.case.assertEqual(calendar[0], start.strftime("%Y%m%d"), "calendar")
            # Commas are escaped in a calendar.
            said = calendar[1].replace("\\,", ",")
            self.case.assertIn(headline(verdict), said)
            if not verdict.kind.startswith("repot"):
                self.case.assertNotIn("Planned:", said)
        self.case.assertEqual(listed, {expected}, "trees")
        for place in (f"/trees/{tree}", f"/trees/{tree}/time", f"/trees/{tree}/path"):
            said = {tuple(found[:4]) for found in SAID.findall(self.page(place))}
            self.case.assertEqual(said, {expected}, place)

    def sources(self, tree):
        """Every figure of the sheet says where it is from, and every reason of the season too."""
        with self.studio.reading() as db:
            stands, base = standing_of(db, tree, self.studio.today), measured_base(db, tree)
        page = " ".join(re.sub(r"<[^>]+>", " ", self.page(f"/trees/{tree}")).split())
        if base is None:
            self.case.assertIn("Not measured yet", page)
        else:
            on = base.measurement.measured_on
            self.case.assertIn(f"measured {on.day} {on:%B %Y}", page)
            if base.worked_since:
                self.case.assertIn("measure again", page.lower())
        ball = stands.standing.ball
        self.case.assertIn("Ball depth not known" if ball is None else f"mm {ball.said}", page)
        # Why the season is what it is stands on the page that "Why" leads to.
        why = " ".join(re.sub(r"<[^>]+>", " ", self.page(f"/trees/{tree}/time")).split())
        self.case.assertIn(stands.standing.season.sentence, unescape(why))
        for sign in stands.standing.strength.against:
            self.case.assertIn(sign.text, page)

    def session(self, tree):
        """The bench session of a tree says what its sheet says."""
        self.client.post(f"/trees/{tree}/bench-sessions", data={"kind": "routine"})
        sheet = {found[:4] for found in SAID.findall(self.page(f"/trees/{tree}"))}
        place = self.client.post(f"/trees/{tree}/bench-sessions", data={"kind": "routine"}).url
        said = {found[:4] for found in SAID.findall(self.page(str(place)))}
        self.case.assertEqual(said, sheet, place)
        self.client.post(f"{place}/leave")

    def first_step(self, tree):
        """The path's first step and the advice on its day take the same roots and parts."""
        plan_path(self.studio, tree)
        with self.studio.reading() as db:
            view = path_view(db, tree, self.studio.today)
            stands = standing_of(db, tree, self.studio.today)
        if view.result is None or not view.result.path_of("steady").steps:
            return False
        step = view.result.path_of("steady").steps[0]
        window = stands.standing.next_window
        self.case.assertEqual(window.best.year, step.year)
        # A path plans for the day that is best.
        self.at(window.best)
        with self.studio.reading() as db:
            if not standing_of(db, tree, window.best).standing.season.workable:
                return False
        bench = begin(self.studio, tree, "routine")
        buds = [entry("bud_stage", "buds swelling")]
        save_entries(self.studio, bench.id, buds)
        with self.studio.reading() as db:
            review = cut_review(db, self.studio, bench_state(db, bench.id))
        advised = {
            label: round(advice.part, 3) for label, advice in review.advice.items() if advice.part
        }
        planned = {label: round(part, 3) for label, part in step.parts.items()}
        self.case.assertEqual(advised, planned, f"tree {tree}")
        return True


YARDS = {
    "north": None,
    "south": YardFields(name="South", last_frost="09-20"),
    "no frost": YardFields(name="Mild", last_frost="02-01", frost_free=True),
}


def made_up(case, yard, count):
    """`count` trees of a studio: glass, weak, new, dead, unmeasured, worked, old."""
    rng = random.Random(11 + list(YARDS).index(yard))
    if YARDS[yard] is not None:
        save_yard(case.studio, YARDS[yard])
    for number in range(count):
        came = date(2026, 11, 23) - timedelta(days=rng.choice((40, 300, 1500, 5000)))
        tree = case.tree(
            name=f"Tree {number}",
            species_key=SPECIES[number % len(SPECIES)],
            strength=rng.choice(("strong", "strong", "fair", "weak")),
            age_class=rng.choice(("young", "mature", "old")),
            origin=rng.choice(ORIGINS),
            acquired_on=came,
            trunk_mm=rng.choice((None, 30, 80)),
            container=rng.choice(("wide training pot", "usual pot", "basket")),
            under_glass=number % 5 == 0,
            foreign_soil=rng.choice(("", "", "peat of its nursery pot")),
            water_dish=number % 7 == 0,
            keeps_soil=number % 11 == 0,
        )
        if number % 8 < 2:
            photo, marks = case.photo(tree, seed=3 + number % 2, taken_on=date(2026, 11, 1))
            save_marks(case.studio, photo.id, marks, 0)
            set_target(
                case.studio,
                tree.id,
                TargetFields(spread_ratio=2.2, largest_gap_deg=90, pot_depth_mm=60),
            )
        if number % 3 == 0 and came < date(2025, 1, 1):
            kind = rng.choice(("routine", "slip-pot", "emergency", "change-soil"))
            day = came + timedelta(days=rng.randint(100, 400))
            record_session(case.studio, tree.id, SessionFields(kind=kind, done_on=day))
        if number % 4 == 1:
            keep_signs(case.studio, tree.id, rng.sample(list(SIGNS), 2))
        if number == 13:
            say_died(case.studio, tree.id, DeathFields(died_on=date(2026, 11, 2), died_of="cold"))


class MadeUpTreesTest(StudioCase):
    def walk(self, yard, count, days):
        made_up(self, yard, count)
        walk = Walk(self, self.studio)
        trees = range(1, count + 1)
        walk.days(trees)
        for day in days:
            walk.at(day)
            for tree in trees:
                with self.subTest(tree=tree, day=day):
                    walk.sources(tree)
                    if self.read(load_tree, tree).died_on is None:
                        walk.session(tree)

    def test_every_place_says_the_same_in_the_north(self):
        self.walk("north", few_or_all(14, 32), DAYS[1:3])

    def test_every_place_says_the_same_in_the_south(self):
        self.walk("south", few_or_all(6, 16), DAYS[3:])

    def test_every_place_says_the_same_where_no_frost_comes(self):
        self.walk("no frost", few_or_all(6, 16), DAYS[:1])


class DemoTreesTest(unittest.TestCase):
    def setUp(self):
        self.studio = Studio(demo_copy(type(self)))
        self.addCleanup(self.studio.close)
        self.walk = Walk(self, self.studio)

    def test_every_place_says_the_same_and_the_path_begins_as_the_bench_advises(self):
        today = self.studio.today
        trees = range(1, 9)
        self.walk.days(
            trees, [today + timedelta(days=days) for days in few_or_all((90,), (0, 90, 200))]
        )
        followed = 0
        for tree in trees:
            self.walk.at(today)
            with self.subTest(tree=tree):
                try:
                    followed += self.walk.first_step(tree)
                except BadInput:
                    # One stands on the bench already.
                    continue
        self.assertGreaterEqual(followed, 2)


class AfterClosingTest(StudioCase):
    def test_no_place_shows_a_removed_root_or_washed_soil_as_standing(self):
        tree = self.tree(foreign_soil="peat", acquired_on=date(2020, 1, 1))
        photo, marks = self.photo(tree, taken_on=date(2026, 11, 1))
        save_marks(self.studio, photo.id, marks, 0)
        set_target(
            self.studio, 1, TargetFields(spread_ratio=2.2, largest_gap_deg=120, pot_depth_mm=60)
        )
        self.studio.clock = lambda: datetime(2027, 3, 28, 9, tzinfo=UTC)
        bench = begin(self.studio, 1, "routine")
        entries = {"bud_stage": "buds swelling", "ball_depth_before": 80, "slice_mm": 10}
        sent = [entry(*one) for one in entries.items()]
        sent.append(entry("root:A", {"action": "remove", "why": "above the others"}))
        self.assertEqual(save_entries(self.studio, bench.id, sent).refused, [])
        close_session(self.studio, bench.id)
        plan_path(self.studio, 1)
        client = TestClient(create_app(self.studio))
        for place in ("/trees/1", "/trees/1/path", "/trees/1/time"):
            page = client.get(place).text
            self.assertNotRegex(page, r'data-root="A"', place)
            self.assertNotIn(">A</th>", page, place)
        view = self.path_view(1)
        self.assertNotIn("A", {fault.label for fault in view.case.faults})
        self.assertEqual(self.read(load_tree, 1).foreign_soil, "")
        self.assertNotIn("peat", client.get("/trees/1").text)


class MixedBasesTest(StudioCase):
    def test_no_place_counts_the_roots_spread_toward_a_target_by_flare(self):
        tree = self.tree()
        photo, marks = self.photo(tree, taken_on=date(2026, 11, 1))
        save_marks(self.studio, photo.id, marks, 0)
        wish = TargetFields(spread_ratio=3.9, basis="flare", largest_gap_deg=120, pot_depth_mm=60)
        set_target(self.studio, 1, wish)
        flare, of_target = self.said()
        self.assertTrue(of_target)
        for place, found in flare.items():
            self.assertEqual(found, [f"{self.sheet_of(1).spread.spread.ratio.value:.2f}"], place)
        save_marks(self.studio, photo.id, marks | {"flare": None}, 1)
        flare, of_target = self.said()
        self.assertFalse(of_target)
        for place, found in flare.items():
            self.assertEqual(found, [], place)
        sheet = self.client.get("/trees/1").text
        self.assertIn("Mark the flare</a>", sheet)
        roots = self.sheet_of(1).base.record.spread.roots.ratio.value
        self.assertRegex(sheet, rf"roots’ spread to trunk(?s:.*?){roots:.2f}")

    def said(self):
        """Figures of a spread by flare, by place, and whether the list counts toward the target."""
        self.client = TestClient(create_app(self.studio))
        found = {
            place: re.findall(
                r"(?is)>(?:flare spread to trunk|spread to trunk, flare)"
                r'(?:(?!</tr>).)*?class="figure">(\d\.\d\d)<',
                self.client.get(place).text,
            )
            for place in ("/trees/1", "/trees/1/dossier")
        }
        return found, "of 3.9" in self.client.get("/trees").text


class KeptDrawingsTest(StudioCase):
    def test_a_sheet_seen_before_follows_its_marks_and_its_pot(self):
        pot = add_pot(self.studio, PotFields(name="Tray", length_mm=300, width_mm=200, depth_mm=90))
        tree = self.tree()
        put_tree_in(self.studio, tree.id, pot.id)
        photo, marks = self.photo(tree, taken_on=date(2026, 11, 1))
        state = save_marks(self.studio, photo.id, marks, 0)
        client = TestClient(create_app(self.studio))
        first = self.drawing(client)
        self.assertEqual(self.drawing(client), first)
        self.assertIn(">A</text>", first)
        fewer = marks | {"roots": marks["roots"][1:]}
        save_marks(self.studio, photo.id, fewer, state.revision)
        without = self.drawing(client)
        self.assertNotIn(">A</text>", without)
        edit_pot(
            self.studio,
            pot.id,
            PotFields(name="Tray", length_mm=420, width_mm=200, depth_mm=60),
            pot.version,
        )
        self.assertNotEqual(self.drawing(client), without)

    def drawing(self, client):
        [_, page] = client.get("/trees/1").text.split('class="wide-only">', 1)
        return page.split("</svg>", 1)[0]
