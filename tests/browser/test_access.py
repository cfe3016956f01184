"""Every page against the rules of accessibility, by day and at dusk, wide and on a phone."""

import io
from datetime import date
from pathlib import Path

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin
from mirvo.studio.exchange.incoming import hold
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.exchange.tables_in import hold_table
from mirvo.studio.exchange.tokens import make_token
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.eye_check import begin_check
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot
from mirvo.studio.shelf.soil import begin_with_usual, keep_recipe
from mirvo.studio.standing.seasons import OpenedFields, note_opened
from mirvo.studio.yard.sharing import link_of, share_tree
from tests.browser.stage import BrowserCase
from tests.studio.exchange.test_tables import CONTINENT

PLACES = (
    "/", "/?tour=1", "/trees", "/trees/new", "/trees/1", "/trees/1/photos", "/trees/1/sessions",
    "/trees/1/sessions/new", "/trees/1/time", "/trees/1/years", "/trees/1/path", "/trees/1/plans",
    "/trees/1/edit", "/trees/1/practice", "/photos/1", "/photos/1/desk", "/photos/3/desk",
    "/bench-sessions/1", "/sessions/1", "/sessions/1/edit", "/materials", "/almanac",
    "/almanac/glossary", "/almanac/practice", "/almanac/species/zelkova", "/eye-checks",
    "/eye-checks/1", "/kit", "/sign-in", "/guest", "/no-such", "/shelf", "/shelf/pots/1",
    "/shelf/soil", "/shelf/soil/recipes/1", "/shelf/labels", "/trees/1/pot", "/trees/1/family",
    "/repair", "/kit/people", "/me", "/sign-in/reset",
    "/exchange", "/exchange/coming", "/exchange/table", "/trees/1/dossier", "/yearbook/2026",
)  # fmt: skip
# Whatever holds for one look holds for the other, but for contrast.
ALL_RULES = "runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']"
CONTRAST = "runOnly: {type: 'rule', values: ['color-contrast']}"
AXE = Path(__file__).parent / "vendor/axe.min.js"


class AccessTest(BrowserCase):
    def prepare(self):
        tree = self.tree()
        for seed in (3, 4):
            photo, marks = self.photo(tree, seed=seed)
            save_marks(self.studio, photo.id, marks, 0)
        shoot_turntable(self.studio, 1)
        begin_check(self.studio)
        begin(self.studio, 1, "routine")
        cut = {"id": "tap-of-a-cut", "field": "root:A", "value": {"action": "shorten"}}
        save_entries(self.studio, 1, [cut])
        form = SessionFields(done_on=date(2026, 3, 28), bud_stage="buds swelling")
        record_session(self.studio, 1, form)
        share_tree(self.studio, 1)
        add_pot(self.studio, PotFields(name="Tray", length_mm=400, width_mm=280, depth_mm=70))
        begin_with_usual(self.studio)
        sent = {"recipe_name": "Mix", "part-1": "2", "part-2": "1"}
        keep_recipe(self.studio, sent["recipe_name"], sent)
        note_opened(self.studio, "zelkova", OpenedFields(opened_on=date(2026, 3, 7)))
        hold(self.studio, io.BytesIO(b"".join(give_out(self.studio))))
        hold_table(self.studio, io.BytesIO(CONTINENT.encode()), "list.csv")
        make_token(self.studio, "Thermometer", ["nights"])

    def keeps_the_rules(self, width):
        """Every page by day, and its contrast at dusk."""
        page, axe = self.page, AXE.read_text("utf-8")
        page.set_viewport_size({"width": width, "height": 844})
        for place in (*PLACES, f"/shared/{self.read(link_of, 1).secret}"):
            page.emulate_media(color_scheme="light")
            page.goto(place)
            page.evaluate(axe)
            for scheme, rules in (("light", ALL_RULES), ("dark", CONTRAST)):
                with self.subTest(place=place, scheme=scheme, width=width):
                    page.emulate_media(color_scheme=scheme)
                    asked = f"axe.run({{{rules}, resultTypes: ['violations']}})"
                    found = page.evaluate(asked)["violations"]
                    said = [(v["id"], [n["html"][:120] for n in v["nodes"]][:3]) for v in found]
                    self.assertEqual(said, [])

    def test_what_goes_to_the_bench_is_one_sheet_of_paper(self):
        for place in ("/", "/trees/1", "/sessions/1", "/materials"):
            with self.subTest(place=place):
                self.page.goto(place)
                paper = self.page.pdf(format="A4", prefer_css_page_size=True)
                self.assertEqual(paper.count(b"/Type /Page\n"), 1)

    def test_on_a_wide_screen(self):
        self.keeps_the_rules(1280)

    def test_on_a_phone(self):
        self.keeps_the_rules(390)
