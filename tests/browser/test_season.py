"""A season of one tree as its keeper lives through it: worked in December, fed in May."""

from datetime import UTC, datetime

from tests.browser.stage import BrowserCase

WIDE = """() => document.documentElement.scrollWidth <= window.innerWidth"""
FROST = "Keep it free of frost."


class SeasonTest(BrowserCase):
    def at(self, *day):
        moment = datetime(*day, 9, tzinfo=UTC)
        self.studio.clock = lambda: moment

    def today(self):
        """What the Bench asks for, line by line."""
        self.page.goto("/")
        self.assertTrue(self.page.evaluate(WIDE), "the Bench is wider than the screen")
        rows = self.page.locator("[aria-label=Today] .care-rows > li")
        return [" ".join(text.split()) for text in rows.all_inner_texts()]

    def tick(self, words):
        row = self.page.locator("[aria-label=Today] .care-rows > li", has_text=words)
        with self.page.expect_navigation():
            row.get_by_role("button").click()

    def work_in_december(self):
        page = self.page
        page.goto("/trees/1/bench-sessions/new?kind=routine")
        page.get_by_role("button", name="Routine session").click()
        page.wait_for_url("**/bench-sessions/*")
        step = self.step_of("#f-ball_depth_before")
        link = page.locator(f"[data-go={step}]")
        if link.is_visible():
            link.click()
        page.get_by_label("Ball depth below the root plane").fill("90")
        page.keyboard.press("Tab")
        self.kept()
        link = page.locator("[data-go=close]")
        if link.is_visible():
            link.click()
        page.get_by_role("button", name="Close and write the record").click()
        page.wait_for_url("**/sessions/*")
        self.assertTrue(page.evaluate(WIDE), "the record is wider than the screen")

    def see_buds(self, stage):
        self.page.goto("/trees/1")
        with self.page.expect_navigation():
            self.page.get_by_label("Buds of Ferry zelkova").first.select_option(stage)

    def season(self):
        self.tree(name="Ferry zelkova", species_key="zelkova")
        self.at(2026, 12, 5)
        self.work_in_december()
        # The tree is bare: all winter there is one thing to do.
        for day in ((2026, 12, 5), (2027, 1, 20), (2027, 2, 25)):
            self.at(*day)
            [only] = self.today()
            self.assertIn(FROST, only)
        self.at(2027, 3, 20)
        self.assertTrue(any("Check the buds" in line for line in self.today()))
        self.see_buds("buds swelling")
        found = self.today()
        self.assertFalse(any("Check the buds" in line for line in found), found)
        # Leaves come five weeks later, and shoots are first seen a little before that.
        self.at(2027, 4, 21)
        self.page.goto("/sessions/1#answer")
        self.page.get_by_role("button", name="New shoots today").click()
        self.page.get_by_text("first new shoots 21 Apr 2027").wait_for()
        self.at(2027, 4, 26)
        found = self.today()
        self.assertTrue(any("half shade" in line for line in found), found)
        self.assertFalse(any(FROST in line for line in found), found)
        self.at(2027, 5, 21)
        self.assertTrue(any("Start feeding." in line for line in self.today()))
        self.tick("Start feeding.")
        self.assertFalse(any("Start feeding." in line for line in self.today()))
        self.at(2027, 6, 2)
        look = next(line for line in self.today() if "Note lost leaves" in line)
        self.assertIn("Ferry zelkova", look)
        # What is looked at is noted on the record, one tap away.
        self.page.get_by_role("link", name="Note lost leaves").first.click()
        self.page.get_by_label("Leaf lost").fill("5")
        self.page.get_by_role("button", name="Save what you see").click()
        self.page.get_by_text("5% of the leaf lost").wait_for()
        # Shoots in April were in time for a tree worked in December.
        self.assertIn("good", self.page.locator("#answer").inner_text())

    def test_on_a_wide_screen(self):
        self.season()

    def test_on_a_phone(self):
        self.page = self.open_page(viewport={"width": 390, "height": 844})
        self.season()
