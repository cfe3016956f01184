"""A photo set by mouse: numbered places join the underside of the lifted tree into the plan."""

from playwright.sync_api import expect

from mirvo.studio.desk import open_desk, save_marks
from mirvo.studio.photo_sets import shoot_set
from mirvo.studio.photos import get_photo
from tests.browser.stage import BrowserCase


class UndersideTest(BrowserCase):
    def prepare(self):
        shoot_set(self.studio, self.tree().id)

    def setUp(self):
        super().setUp()
        photo = get_photo(self.studio, 1)
        self.above = self.truth(photo)["marks"]
        state = open_desk(self.studio, 1)
        parts = {key: self.above[key] for key in ("trunk", "roots", "front")}
        save_marks(self.studio, 1, {**state.marks, **parts}, state.revision)
        self.below = self.truth(get_photo(self.studio, 4))["marks"]

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
        state = open_desk(self.studio, 4)
        self.assertIsNone(state.problem)
        self.assertEqual(len(state.figures["roots"]), len(self.above["roots"]) + 1)
        found = {root["label"]: root["azimuth_deg"]["value"] for root in state.figures["roots"]}
        base = self.truth(get_photo(self.studio, 4))["base"]["roots"]
        turned = found[hidden["label"]] - found["A"]
        known = -base[-1]["azimuth_deg"] + base[0]["azimuth_deg"]
        self.assertLess(abs((turned - known + 180) % 360 - 180), 3.0)
