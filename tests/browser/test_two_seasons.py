"""One tree from intake over two seasons, and what every page says of it after every step."""

from datetime import UTC, datetime

from sqlalchemy import select

from mirvo.records.models import Photo
from mirvo.studio.bench_session.session import running_session
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.simulated import truth_of
from tests.browser.stage import BrowserCase

# The path first: it must not have to be opened for the others to know what is planned.
PLACES = ("/trees/1/path", "/", "/trees", "/trees/1", "/trees/1/time", "/trees/1/path")
SAID = """() => [...document.querySelectorAll("[data-verdict]")].map(
    (said) => ["verdict", "season", "budget", "window"].map((name) => said.dataset[name]))"""
WIDE = """() => document.documentElement.scrollWidth <= window.innerWidth"""


class TwoSeasonsTest(BrowserCase):
    def at(self, *day):
        moment = datetime(*day, 9, tzinfo=UTC)
        self.studio.clock = lambda: moment

    def agree(self, *more):
        """What all pages say of the tree today; they must say one thing."""
        said = {}
        for place in (*PLACES, *more):
            self.page.goto(place)
            found = {tuple(found) for found in self.page.evaluate(SAID)}
            self.assertEqual(said.setdefault(place, found), found, f"{place} opened again")
            self.assertTrue(self.page.evaluate(WIDE), f"{place} is wider than the screen")
        first = said["/trees/1"]
        self.assertEqual(len(first), 1, first)
        for place, found in said.items():
            self.assertEqual(found, first, place)
        self.page.goto("/trees/1")
        self.page.emulate_media(media="print")
        self.assertTrue(self.page.locator("[data-verdict]").first.is_visible(), "printed")
        self.page.emulate_media(media="screen")
        verdict, season, budget, window = first.pop()
        return verdict, season, int(budget.rstrip("%")), window

    def take_in(self):
        page = self.page
        page.goto("/trees")
        page.get_by_role("link", name="Add the first tree").click()
        page.get_by_label("Name").fill("Ferry zelkova")
        page.get_by_label("Species").select_option("zelkova")
        page.get_by_label("Container").select_option("wide training pot")
        page.get_by_label("Depth of its pot, inside").fill("95")
        page.get_by_role("button", name="Add the tree").click()
        page.wait_for_url("**/trees/1*")

    def measure(self):
        page = self.page
        self.offer_camera()
        page.goto("/trees/1/photos")
        page.get_by_role("button", name="Take a photo with the simulated camera").click()
        self.desk_ready()
        with self.studio.reading() as db:
            photo = db.scalar(select(Photo))
        save_marks(self.studio, photo.id, truth_of(self.studio, photo)["marks"], 0)

    def turn_to(self, selector):
        """The step that holds something comes into view: on a phone there is one at a time."""
        step = self.step_of(selector)
        link = self.page.locator(f"[data-go={step}]")
        if link.is_visible():
            link.click()
            self.page.locator(f"#{step}").wait_for(state="visible")

    def work(self, root, slice_mm):
        page = self.page
        page.goto("/trees/1/bench-sessions/new")
        page.get_by_role("button", name="Routine session").click()
        page.wait_for_url("**/bench-sessions/*")
        bench = self.read(running_session, 1)
        self.turn_to("[value='buds swelling']")
        page.get_by_text("buds swelling", exact=True).click()
        self.turn_to("#f-ball_depth_before")
        page.get_by_label("Ball depth below the root plane").fill("90")
        self.turn_to(f"[data-root={root}]")
        page.locator(f"[data-root={root}] input[value=remove]").check(force=True)
        self.turn_to("#f-slice_mm")
        page.locator("#f-slice_mm").fill(slice_mm)
        page.keyboard.press("Tab")
        page.locator("[data-save][data-state=kept]").wait_for()
        worked = self.agree(f"/bench-sessions/{bench.id}")
        page.goto(f"/bench-sessions/{bench.id}")
        self.turn_to("[data-close]")
        page.get_by_role("button", name="Close and write the record").click()
        page.wait_for_url("**/sessions/*")
        return worked

    def two_seasons(self):
        page = self.page
        self.at(2026, 11, 23)
        self.take_in()
        self.agree()
        self.measure()
        self.agree()
        page.goto("/trees/1/path")
        page.get_by_label("Spread trunks").fill("1.8")
        page.get_by_label("Gap at most").fill("120")
        page.get_by_label("Pot depth mm inside").fill("60")
        page.get_by_role("button", name="Set and plan").click()
        self.all_paths()
        step = self.path_view(1).result.path_of("steady").steps[0]
        verdict, season, budget, window = self.agree()
        self.assertEqual((verdict, season, budget), ("repot_next", "too early", 0))
        self.assertEqual(window[:4], str(step.year))

        self.at(step.year, 3, 28)
        verdict, season, budget, _ = self.agree()
        self.assertEqual((verdict, season), ("repot_now", "open"))
        self.assertGreater(budget, 20)
        first = step.faults[0]
        self.work(first, "15")
        page.goto("/trees/1")
        self.assertEqual(page.locator(f"[data-root={first}]").count(), 0)
        self.assertIn(f"removed {first}.", page.locator(".sheet-facts").inner_text())
        verdict, _, _, window = self.agree()
        self.assertEqual(verdict, "rest")
        self.assertGreater(window, str(step.year + 1))

        self.at(step.year, 5, 10)
        page.goto("/trees/1")
        page.get_by_role("link", name="How did it recover").click()
        page.get_by_label("Leaf lost").fill("5")
        page.get_by_label("First new shoots").fill(f"{step.year}-04-25")
        page.get_by_role("button", name="Save what you see").click()
        page.get_by_text("5% of the leaf lost").wait_for()
        page.goto("/trees/1")
        self.assertIn("5% more", page.locator("[data-answers]").inner_text())
        self.agree()
        self.at(step.year, 9, 10)
        self.agree()

        self.at(step.year + 2, 3, 28)
        verdict, *_ = self.agree()
        self.assertEqual(verdict, "repot_now")
        self.work(self.sheet_of(1).base.roots[0].label, "10")
        verdict, *_ = self.agree()
        self.assertEqual(verdict, "rest")
        self.assertEqual(len(self.sessions_of(1)), 2)

    def test_on_a_wide_screen(self):
        self.two_seasons()

    def test_on_a_phone(self):
        self.page = self.open_page(viewport={"width": 390, "height": 844})
        self.two_seasons()
