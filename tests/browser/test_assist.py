"""Help on the root desk: the card, a dragged trunk, proposals, traces, snaps, the loupe."""

from dataclasses import replace
from datetime import date

import numpy as np

from mirvo.standins.base import random_base
from mirvo.standins.camera import phone_camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import take_photo, true_marks
from mirvo.standins.scene import Layout, random_palette
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.intake import take_in
from tests.browser.stage import BrowserCase

SIZE = (2016, 1512)


class AssistTest(BrowserCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        base = random_base(62)
        layout = Layout(card=CardPlace(0.0, -190.0, 5.0, 14.0), palette=random_palette(62))
        shot = replace(phone_camera(62, 15, SIZE), above_mm=470.0)
        cls.content = take_photo(base, shot, date(2025, 3, 1), layout)
        cls.known = true_marks(base, shot, layout)

    def setUp(self):
        super().setUp()
        taken = take_in(self.studio, self.tree().id, [("base.jpg", self.content)], "top")
        self.photo_id = taken[0].photo.id
        self.desk = f"/photos/{self.photo_id}/desk"

    def begun(self):
        """Calibration and trunk are marked."""
        marks = {**self.known, "roots": [], "flare": None}
        save_marks(self.studio, self.photo_id, marks, 0)
        self.page.goto(self.desk)

    def on_server(self):
        self.page.locator("[data-working]").wait_for(state="hidden")
        self.kept()
        return self.marks_of(self.photo_id)

    def test_the_card_is_found_and_the_trunk_dragged(self):
        page = self.page
        page.goto(self.desk)
        self.assertEqual(page.locator("[data-cal=kind]").input_value(), "card")
        page.locator("[data-cal=height_above_root_plane_mm]").fill("14")
        page.keyboard.press("Tab")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Trunk").click()
        xs, ys = zip(*self.known["trunk"]["outline"], strict=True)
        x, y = self.screen([min(xs), min(ys)])
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(*self.screen([max(xs), max(ys)]), steps=5)
        page.locator(".ghost-mark").first.wait_for()
        page.mouse.up()
        page.locator("[data-figure=trunk]").wait_for()
        marks = self.on_server()
        self.assertEqual(marks["calibration"]["kind"], "card")
        self.assertEqual(len(marks["trunk"]["outline"]), 36)
        page.locator("[data-hint]").get_by_text("No edge runs all round there").wait_for()
        self.assertGreater(marks["trunk"]["outline_sd_px"], 1.0)

    def test_proposals_are_accepted_and_rejected_by_keys(self):
        self.begun()
        page = self.page
        page.locator("[data-surface]").focus()
        page.keyboard.press("g")
        page.locator("[data-do=accept]").wait_for()
        offered = int(page.locator("[data-ghost-said]").inner_text().split()[0])
        self.assertGreaterEqual(offered, len(self.known["roots"]) - 2)
        page.locator("[data-surface]").focus()
        page.keyboard.press("Enter")
        page.keyboard.press("Delete")
        page.keyboard.press("g")
        page.keyboard.press("Enter")
        marks = self.on_server()
        self.assertEqual([root["label"] for root in marks["roots"]], ["A", "B"])
        self.assertEqual(len(marks["roots"][0]["base_width"]), 2)
        page.get_by_role("button", name="Leave the rest").click()
        page.locator("[data-ghosts]").wait_for(state="hidden")
        page.keyboard.press("z")
        self.assertEqual(len(self.on_server()["roots"]), 1)

    def test_proposing_can_be_stopped_and_asked_again(self):
        self.begun()
        page = self.page
        page.get_by_role("button", name="Propose").click()
        page.get_by_role("button", name="Stop").click()
        page.get_by_text("Nothing was changed").wait_for()
        page.get_by_role("button", name="Propose").click()
        page.locator("[data-do=accept]").wait_for()

    def test_a_root_is_traced_from_its_tip_and_its_width_snapped(self):
        self.begun()
        page = self.page
        page.get_by_role("button", name="Tip").click()
        page.mouse.click(*self.screen(self.known["roots"][1]["path"][-1]))
        page.locator("[data-root='0']").wait_for()
        page.locator("[data-root-table]").wait_for()
        marks = self.on_server()
        first = marks["roots"][0]["path"][0]
        outline = self.known["trunk"]["outline"]
        nearest = min(abs(first[0] - x) + abs(first[1] - y) for x, y in outline)
        self.assertLess(nearest, 60)
        page.keyboard.press("Escape")
        page.get_by_role("button", name="A", exact=True).click()
        with page.expect_response("**/assist/width"):
            page.keyboard.press("s")
        page.locator("[data-working]").wait_for(state="hidden")
        root = self.on_server()["roots"][0]
        self.assertEqual(len(root["base_width"]), 2)
        self.assertGreater(root["points_sd_px"], 2.0)
        page.locator("[data-found]").get_by_text("root A").wait_for()
        page.locator("[data-surface]").focus()
        page.keyboard.press("w")
        self.click_points(self.known["roots"][1]["base_width"])
        page.locator("[data-found]").wait_for(state="detached")
        self.assertNotIn("points_sd_px", self.on_server()["roots"][0])

    def test_a_width_set_by_hand_is_drawn_to_the_edges_seen(self):
        root = dict(self.known["roots"][1])
        (ax, ay), (bx, by) = root.pop("base_width")
        known = np.hypot(bx - ax, by - ay)
        aside = [4 * (bx - ax) / known, 4 * (by - ay) / known]
        wide = [[ax - aside[0], ay - aside[1]], [bx + aside[0], by + aside[1]]]
        save_marks(self.studio, self.photo_id, {**self.known, "roots": [root]}, 0)
        page = self.page
        page.goto(self.desk)

        def width():
            across = np.array(self.on_server()["roots"][0]["base_width"])
            return float(np.hypot(*(across[1] - across[0])))

        def click_across():
            page.get_by_role("button", name=root["label"], exact=True).click()
            page.locator("[data-surface]").focus()
            page.keyboard.press("w")
            with page.expect_response("**/assist/flanks"):
                self.click_points(wide)

        click_across()
        drawn = width()
        self.assertLess(abs(drawn - known), 6)
        page.locator("[data-surface]").focus()
        page.keyboard.press("z")
        self.assertAlmostEqual(width(), known + 8, delta=1.5)
        self.assertLess(drawn, width() - 2)
        page.get_by_text("Calibration and heights").click()
        box = page.get_by_label("Draw widths to the edges seen")
        box.uncheck()
        page.reload()
        self.assertFalse(box.is_checked())
        page.get_by_role("button", name=root["label"], exact=True).click()
        page.locator("[data-surface]").focus()
        page.keyboard.press("w")
        self.click_points(wide)
        self.kept()
        self.assertAlmostEqual(width(), known + 8, delta=1.5)

    def test_without_a_trunk_the_trunk_is_proposed_first_and_can_be_taken_back(self):
        page = self.page
        page.goto(self.desk)
        page.get_by_role("button", name="Propose").click()
        page.get_by_text("the trunk as the photo shows it").wait_for()
        trunk = self.on_server()["trunk"]
        known = np.array(self.known["trunk"]["outline"])
        off = np.hypot(*(np.array(trunk["outline"]).mean(axis=0) - known.mean(axis=0)))
        self.assertLess(off, 0.2 * float(np.ptp(known, axis=0).mean()))
        self.assertGreater(trunk["outline_sd_px"], 1.0)
        page.keyboard.press("z")
        self.assertIsNone(self.on_server()["trunk"])

    def test_loupe_and_table(self):
        self.begun()
        page = self.page
        page.locator("[data-surface]").focus()
        page.keyboard.press("l")
        x, y = self.screen(self.known["trunk"]["outline"][0])
        page.mouse.move(x, y)
        page.mouse.move(x + 2, y + 2)
        page.locator("[data-loupe]").wait_for(state="visible")
        page.keyboard.press("l")
        page.locator("[data-loupe]").wait_for(state="hidden")
        page.get_by_text("All marks as a table").click()
        cell = page.get_by_label("Trunk outline, point 1 of 40, right, px")
        cell.fill("1001,5")
        cell.press("Tab")
        self.assertEqual(self.on_server()["trunk"]["outline"][0][0], 1001.5)
        cell.fill("99999")
        cell.press("Tab")
        self.assertEqual(cell.get_attribute("aria-invalid"), "true")
        self.assertEqual(self.on_server()["trunk"]["outline"][0][0], 1001.5)

    def test_a_finger_places_above_itself_under_the_loupe(self):
        self.begun()
        page = self.open_page(has_touch=True, viewport={"width": 390, "height": 844})
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.get_by_role("button", name="Front").tap()
        x, y = self.screen(self.known["front"], page)
        touch = page.context.new_cdp_session(page)

        def send(kind, at):
            points = [{"x": at[0], "y": at[1]}] if at else []
            touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        send("touchStart", (x - 30, y + 40))
        send("touchMove", (x - 10, y + 50))
        send("touchMove", (x, y + 58))
        page.locator("[data-loupe]").wait_for(state="visible")
        send("touchEnd", None)
        self.kept(page)
        front = self.marks_of(self.photo_id)["front"]
        self.assertLess(abs(front[0] - self.known["front"][0]), 12)
        self.assertLess(abs(front[1] - self.known["front"][1]), 12)
