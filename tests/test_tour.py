"""The tour of CONTRIBUTING leads to files that are there and hold what is looked for."""

import re
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
HOLDS = {
    "mirvo/core/rootwork/share_estimate.py": "def estimate_share(",
    "mirvo/core/rootwork/cut_order.py": "ORDER",
    "mirvo/core/rootwork/cut_adviser.py": "def advise(",
    "mirvo/core/season/season_state.py": "def season_state(",
    "mirvo/core/standing/verdict.py": "def verdict(",
    "mirvo/studio/standing/standing.py": "def standing_of(",
    "mirvo/core/rootwork/budget.py": "def treated_as_cutting(",
    "mirvo/core/care/aftercare.py": "def aftercare(",
    "mirvo/core/plan/bounds.py": "class Bounds",
    "mirvo/core/plan/first_session.py": "def with_cut_list(",
    "mirvo/studio/path/compare.py": "def compare_decisions(",
    "mirvo/text/advice.py": "def headline(",
    "mirvo/text/formats.py": "def date_range(",
    "mirvo/core/coded.py": "class Coded",
    "mirvo/core/plan/session_options.py": "class SessionOptions",
    "mirvo/core/plan/places.py": "class Place",
    "mirvo/core/plan/label_setting.py": "dominat",
    "mirvo/core/measure/radiality.py": "def radiality(",
    "mirvo/core/vision/marker_edges.py": "def fit_marker(",
    "mirvo/core/vision/root_model.py": "def see_roots(",
    "mirvo/core/vision/ways.py": "def find_ways(",
    "mirvo/records/soundness.py": "def complaint_about(",
    "mirvo/formats/bundle.py": "def unpack_bundle(",
    "mirvo/core/typed_values.py": "def plain_text(",
    "mirvo/formats/exchange/tables.py": "def row_type(",
    "mirvo/studio/exchange/incoming.py": "def take_in(",
    "mirvo/studio/exchange/merging.py": "class Merge",
    "mirvo/studio/exchange/table_headings.py": "def guess(",
    "mirvo/web/api/records.py": "def list_trees(",
    "mirvo/core/season/seen.py": "def learnt_shift(",
    "mirvo/studio/bench_session/entered.py": "def checked_value(",
    "mirvo/core/letters.py": "def next_letter(",
    "mirvo/core/plan/default_target.py": "def default_target(",
    "mirvo/core/almanac/bench.yaml": "steps:",
    "mirvo/records/models/sessions.py": '__tablename__ = "cut_decisions"',
    "mirvo/records/pictures.py": "exif",
    "mirvo/web/lengths.py": "def length_text(",
    "mirvo/core/limits/sessions.py": "class SessionFields(",
    "mirvo/web/routes/measuring/years.py": "/trees/{tree_id}/years",
    "mirvo/web/static/js/measuring/keys.js": "Enter:",
    "mirvo/web/access.py": "def only(",
    "mirvo/records/limits.py": "LIMITS",
    "mirvo/web/guards.py": "class Guard",
    "mirvo/web/problems.py": "def configure_errors(",
    "mirvo/core/measure/pose.py": "def solve_pose(",
}


class TourTest(unittest.TestCase):
    def setUp(self):
        self.tour = (ROOT / "CONTRIBUTING.md").read_text("utf-8")

    def test_every_place_it_names_is_there(self):
        named = set(re.findall(r"`((?:mirvo|tests|tools)/[^` ]*)`", self.tour))
        self.assertGreater(len(named), 25)
        missing = [place for place in named if not (ROOT / place).exists()]
        self.assertEqual(missing, [])

    def test_what_is_looked_for_stands_where_it_says(self):
        for place, words in HOLDS.items():
            with self.subTest(place=place):
                self.assertIn(f"`{place}`", self.tour)
                self.assertIn(words.lower(), (ROOT / place).read_text("utf-8").lower())

    def test_every_room_of_the_studio_has_its_routes_templates_and_tests(self):
        rooms = {one.name for one in (ROOT / "mirvo/studio").iterdir() if one.is_dir()}
        # The floors the rooms stand on have no pages.
        rooms -= {"__pycache__", "ground", "standing"}
        for place in ("mirvo/web/routes", "mirvo/web/templates", "tests/studio"):
            there = {one.name for one in (ROOT / place).iterdir() if one.is_dir()}
            with self.subTest(place=place):
                self.assertEqual(rooms - there, set())
        for room in rooms:
            self.assertIn(f"| `{room}` |", self.tour)
