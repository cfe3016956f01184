"""The path page used by mouse and by keyboard."""

import re

from playwright.sync_api import expect

from tests.browser.stage import BrowserCase
from tests.studio.path.test_path import PlannedCase


class PathTest(PlannedCase, BrowserCase):
    def setUp(self):
        super().setUp()
        self.page.goto("/trees/1/path")
        self.all_paths()

    def wished(self):
        return self.planned(1).case.target.model_dump()

    def knob(self, name):
        return self.page.locator(f"#knob-{name}")

    def settled(self):
        """Wait until the newest plan is on the page."""
        busy = ".htmx-request, .htmx-swapping, .htmx-settling, .htmx-added"
        expect(self.page.locator(busy)).to_have_count(0)

    def drag(self, name, dx, dy):
        box = self.knob(name).bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + dx / 2, y + dy / 2)
        self.page.mouse.move(x + dx, y + dy)
        with self.page.expect_response(re.compile(r"/trees/1/target$")):
            self.page.mouse.up()

    def test_the_ring_and_the_floor_are_dragged_by_mouse(self):
        before = self.wished()
        self.drag("ring", 14, 0)
        wider = self.wished()
        self.assertGreater(wider["spread_ratio"], before["spread_ratio"] + 0.05)
        self.assertEqual(wider["pot_depth_mm"], before["pot_depth_mm"])
        expect(self.page.locator("#spread_ratio")).to_have_value(f"{wider['spread_ratio']:g}")
        self.settled()
        self.drag("floor", 0, 20)
        self.assertGreater(self.wished()["pot_depth_mm"], before["pot_depth_mm"] + 3)

    def test_a_point_of_the_curve_is_chosen(self):
        page = self.page
        self.target(spread_ratio=2.0, pot_depth_mm=80)
        path = self.planned(1).result.path_of("gentle")
        page.goto("/trees/1/path?school=gentle")
        year = next(one.year for one in path.tradeoff if one.year != path.reached_year)
        page.get_by_role("link", name=f"Show the way that is there in {year}").click()
        page.get_by_text(f"This plan gets there in {year}").wait_for()
        self.settled()
        expect(page.locator(".shown-ring")).to_have_count(1)
        page.get_by_role("link", name="Show the planned way").click()
        expect(page.locator("[data-other-way]")).to_have_count(0)

    def test_by_keyboard_alone(self):
        page, before = self.page, self.wished()
        self.knob("ring").focus()
        with page.expect_response(re.compile(r"/trees/1/target$")):
            for _ in range(4):
                page.keyboard.press("ArrowRight")
        self.settled()
        after = self.wished()["spread_ratio"]
        self.assertAlmostEqual(after, before["spread_ratio"] + 0.2, delta=0.026)
        self.settled()
        expect(self.knob("ring")).to_be_focused()
        page.keyboard.press("Tab")
        expect(self.knob("floor")).to_be_focused()
        with page.expect_response(re.compile(r"/trees/1/target$")):
            page.keyboard.press("PageUp")
        self.assertAlmostEqual(self.wished()["pot_depth_mm"], before["pot_depth_mm"] + 10)
        page.locator(".paths a").last.focus()
        page.keyboard.press("Enter")
        expect(page.locator(".paths a[aria-current]")).to_contain_text("bold")
        page.get_by_label("What is fixed").focus()
        page.get_by_label("What is fixed").select_option("In the show pot by")
        page.keyboard.press("Tab")
        page.keyboard.type("2036")
        page.keyboard.press("Tab")
        page.keyboard.type("exhibition")
        page.keyboard.press("Enter")
        expect(page.locator(".holds")).to_contain_text("In the show pot by 2036: exhibition")
        page.get_by_role("button", name="let it go").focus()
        page.keyboard.press("Enter")
        expect(page.locator(".holds")).not_to_contain_text("exhibition")

    def test_a_change_made_while_a_plan_is_on_its_way_is_not_lost(self):
        page, before = self.page, self.wished()
        self.knob("floor").focus()
        with page.expect_request(re.compile(r"/trees/1/target$")):
            page.keyboard.press("ArrowUp")
        wanted = f"pot_depth_mm={before['pot_depth_mm'] + 6:g}"
        with page.expect_response(lambda answer: wanted in (answer.request.post_data or "")):
            for _ in range(5):
                page.keyboard.press("ArrowUp")
        self.settled()
        self.assertAlmostEqual(self.wished()["pot_depth_mm"], before["pot_depth_mm"] + 6)
        expect(page.locator("#pot_depth_mm")).to_have_value(f"{before['pot_depth_mm'] + 6:g}")

    def test_a_lever_is_taken_and_plans_are_kept_and_compared(self):
        page = self.page
        page.get_by_role("heading", name="What would bring it forward").wait_for()
        before = self.wished()
        page.locator(".levers form[action='/trees/1/target'] button").first.click()
        self.all_paths()
        self.assertNotEqual(self.wished(), before)
        page.get_by_role("link", name="Keep plans").click()
        name = page.get_by_label("Name").first
        name.fill("the low one")
        page.get_by_role("button", name="keep").first.click()
        expect(page.locator(".plan-columns section")).to_have_count(3)  # its three paths
        page.get_by_label("side by side").nth(1).check()
        expect(page.locator(".plan-columns section")).to_have_count(2)
        expect(page.locator(".plan-columns h3").first).to_contain_text("the low one")
        page.get_by_role("button", name="take it up again").click()
        self.all_paths()
        self.assertEqual(self.wished(), before)

    def test_two_decisions_stand_side_by_side_in_a_chosen_year(self):
        page = self.page
        page.get_by_role("link", name="Compare two decisions").click()
        second = page.get_by_label("Decision B")
        second.get_by_text("Change B").click()
        second.get_by_label("First session cuts").select_option("listed")
        second.get_by_role("checkbox", name="A", exact=True).check()
        second.get_by_role("button", name="Compare").click()
        expect(second.get_by_role("heading")).to_contain_text("cuts A first")
        expect(second.locator(".step-lines li").first).to_contain_text("cut A")
        year = page.get_by_label("At the end of", exact=True)
        later = year.locator("option").last.inner_text()
        year.select_option(later)
        # The list is still what is decided.
        expect(page.get_by_label("Decision B").locator("svg title")).to_contain_text(later)
        expect(page.get_by_label("Decision B").get_by_role("heading")).to_contain_text("A first")

    def test_a_container_at_hand_is_sent_when_ticked(self):
        with self.page.expect_navigation():
            self.page.get_by_role("checkbox", name="basket").check()
        self.assertIn("basket", self.planned(1).case.containers)
        expect(self.page.get_by_role("checkbox", name="basket")).to_be_checked()
