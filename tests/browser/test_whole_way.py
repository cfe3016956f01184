"""The whole way as a user goes it: from an empty yard to a path."""

import re

from playwright.sync_api import expect
from sqlalchemy import select

from mirvo.records.models import Measurement, Photo
from tests.browser.stage import BrowserCase


class WholeWayTest(BrowserCase):
    def test_from_an_empty_yard_to_a_path(self):
        photo = self.add_tree_and_photo()
        known = self.truth(photo)
        self.mark(known)
        self.figures_near(known["figures"])
        self.record_session()
        self.set_target()

    def add_tree_and_photo(self):
        page = self.page
        page.goto("/trees")
        page.get_by_role("link", name="Add the first tree").click()
        page.get_by_label("Name").fill("Ferry zelkova")
        page.get_by_label("Species").select_option("zelkova")
        page.get_by_label("Container").select_option("wide training pot")
        page.get_by_role("button", name="Add the tree").click()
        self.offer_camera()
        page.goto("/trees/1")
        page.get_by_role("link", name="Add photo").first.click()
        page.get_by_role("button", name="Take a photo with the simulated camera").click()
        self.desk_ready()
        with self.studio.reading() as db:
            return db.scalar(select(Photo))

    def mark(self, known):
        page, marks = self.page, known["marks"]
        cal = marks["calibration"]
        page.get_by_role("button", name="Calibrate").click()
        page.get_by_label("Length mm").fill(str(cal["length_mm"]))
        page.get_by_label("Width mm").fill(str(cal["width_mm"]))
        page.get_by_label("It lies above the roots by").fill(str(cal["height_above_root_plane_mm"]))
        page.get_by_label("Trunk outline at height").fill(str(marks["trunk"]["height_mm"]))
        self.click_points(cal["corners"])
        page.keyboard.press("f")
        self.click_points([marks["front"]])
        for _ in range(4):
            page.keyboard.press("+")
        page.keyboard.press("t")
        self.click_points(marks["trunk"]["outline"])
        page.keyboard.press("Enter")
        self.kept()
        page.reload()
        self.desk_ready()
        self.assertEqual(
            page.locator("[data-address^='trunk/']").count(), len(marks["trunk"]["outline"])
        )
        self.assertEqual(page.locator("[data-address^='calibration/']").count(), 4)
        page.keyboard.press("e")
        self.click_points(marks["flare"]["outline"])
        page.keyboard.press("Enter")
        for root in marks["roots"]:
            page.keyboard.press("r")
            self.click_points(root["path"])
            page.keyboard.press("Enter")
            self.click_points(root["base_width"])
            page.keyboard.press("x")
            self.click_points(root["end_width"])
        self.kept()

    def figures_near(self, truth):
        page = self.page
        shown = page.locator("[data-figure=trunk] .figure").inner_text()
        self.assertLess(abs(float(shown) / truth["trunk_diameter_mm"] - 1), 0.015)
        shown = page.locator("[data-figure=spread-flare] .figure").inner_text()
        self.assertLess(abs(float(shown) / truth["flare_mean_mm"] - 1), 0.015)
        self.assertEqual(page.locator("[data-root]").count(), len(truth["roots"]))
        with self.studio.reading() as db:
            found = db.scalar(select(Measurement)).top.roots
        for root, known in zip(found, truth["roots"], strict=True):
            away = abs((root.azimuth_deg.value - known["azimuth_deg"] + 180) % 360 - 180)
            self.assertLess(away, 2.5)

    def record_session(self):
        page = self.page
        page.get_by_role("link", name="Done: to the sheet").click()
        page.get_by_role("link", name="Sessions", exact=True).click()
        page.get_by_role("link", name="Record one done already").click()
        page.get_by_label("Date").fill("2026-03-25")
        page.get_by_label("Bud stage").select_option("buds swelling")
        page.get_by_label("Ball depth before, mm").fill("90")
        page.get_by_label("Bottom slice").fill("30")
        page.get_by_label("Woody depth left").fill("55")
        page.get_by_label("Pot length inside").fill("360")
        page.get_by_label("Pot depth inside").fill("85")
        page.get_by_label("For next time").fill("Old soil stays at 9 o'clock.")
        row = page.get_by_role("radiogroup", name="Root A")
        row.get_by_label("removed").check()
        share = page.locator("#share .figure").first
        expect(share).to_have_text(re.compile(r"^(3[0-9]|[4-9]\d)%$"))
        page.get_by_role("button", name="Record the session").click()
        page.get_by_role("heading", name="Aftercare").wait_for()
        self.assertIn("Root A", page.locator(".facts").first.inner_text())

    def set_target(self):
        page = self.page
        page.get_by_role("link", name="See the path from here").click()
        page.get_by_label("Spread trunks").fill("1.6")
        page.get_by_label("Gap at most").fill("120")
        page.get_by_label("Pot depth mm inside").fill("60")
        page.get_by_role("button", name="Set and plan").click()
        self.all_paths()
        years = page.locator(".path-year").all_inner_texts()
        self.assertTrue(1 <= len(years) <= 3, years)
        self.assertTrue(all(re.fullmatch(r"20[2-4]\d", year) for year in years), years)
        self.assertGreater(page.locator(".steps li").count(), 0)
        page.get_by_role("link", name="Plan and section").click()
        page.wait_for_url("**/trees/1")
        page.locator("path.stratum-planned").first.wait_for(state="attached")
        self.assertIn("Old soil stays", page.locator(".note-next").inner_text())
