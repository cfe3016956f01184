"""A photo set by mouse: numbered places join the underside of the lifted tree into the plan."""

from playwright.sync_api import expect

from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.photo_sets import shoot_set
from tests.browser.stage import BrowserCase


class UndersideTest(BrowserCase):
    def prepare(self):
        shoot_set(self.studio, self.tree().id)

    def setUp(self):
        super().setUp()
        photo = self.load_photo(1)
        self.above = self.truth(photo)["marks"]
        state = self.open_desk(1)
        parts = {key: self.above[key] for key in ("trunk", "roots", "front")}
        save_marks(self.studio, 1, {**state.marks.as_json(), **parts}, state.revision)
        self.below = self.truth(self.load_photo(4))["marks"]

    def places(self, number, roots):
        """Mark the tips of the first three roots as places 1 to 3."""
        self.page.goto(f"/photos/{number}/desk")
        self.page.locator("[data-overlay]").wait_for()
        self.page.keyboard.press("p")
        self.click_points([root["path"][-1] for root in roots[:3]])
        self.kept()

    def test_places_and_a_hidden_root_are_marked_and_join_the_plan(self):
        page, hidden = self.page, self.below["roots"][-1]
        self.places(1, self.above["roots"])
        self.places(4, self.below["roots"])
        expect(page.locator("[data-underside]")).to_be_checked()
        page.keyboard.press("r")
        self.click_points(hidden["path"][::6])
        page.keyboard.press("Enter")
        page.keyboard.press("w")
        self.click_points(hidden["base_width"])
        self.kept()
        expect(page.locator("[data-panel] .complaint")).to_have_count(0)
        state = self.open_desk(4)
        self.assertIsNone(state.found.problem)
        self.assertEqual(len(state.found.top.roots), len(self.above["roots"]) + 1)
        found = {root.label: root.azimuth_deg.value for root in state.found.top.roots}
        base = self.truth(self.load_photo(4))["base"]["roots"]
        turned = found[hidden["label"]] - found["A"]
        known = -base[-1]["azimuth_deg"] + base[0]["azimuth_deg"]
        self.assertLess(abs((turned - known + 180) % 360 - 180), 3.0)
