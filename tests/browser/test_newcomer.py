"""Somebody new, in an empty studio: from the first tree to its path, clicks and keys counted."""

import json
from pathlib import Path

from playwright.sync_api import expect

import mirvo.demo
from mirvo.core.measure.drafts import read_draft
from tests.browser.stage import BrowserCase, Hand

# Made by a path-traced camera that knows nothing of the measurer.
PHOTO = Path(mirvo.demo.__file__).parent / "photos" / "harbour-zelkova-2026-04-04.jpg"
MOST = 60
# No photo has more roots that are to be looked at singly.
MOST_DOUBTED = 40


class NewcomerTest(BrowserCase):
    def test_from_nothing_to_a_path(self):
        page = self.page
        hand = Hand(page)
        known = json.loads(PHOTO.with_suffix(".json").read_text())["marks"]
        page.goto("/")
        hand.click(page.get_by_role("link", name="Add a tree"))
        hand.click(page.get_by_label("Name"))
        hand.type("elm")
        hand.choose(page.get_by_label("Species"), "zelkova")
        hand.click(page.get_by_role("button", name="Add the tree"))

        hand.click(page.get_by_role("link", name="Add photo").first)
        hand.hand_in(page.locator("#files"), PHOTO)
        hand.click(page.get_by_role("button", name="Add photos"))
        hand.click(page.get_by_role("link", name="mark it").first)

        hand.click(page.locator("[data-cal=height_above_root_plane_mm]"))
        hand.type(f"{known['calibration']['height_above_root_plane_mm']:.0f}")
        hand.click(page.locator("[data-do=propose]"))
        page.locator("[data-ghost-said]").filter(has_text="trunk").wait_for()
        hand.click(page.locator("[data-do=propose]"))
        page.locator("[data-do=sure]").wait_for()
        hand.press("a")
        for _ in range(MOST_DOUBTED):
            if not page.locator("[data-do=accept]").is_visible():
                break
            hand.press("Enter")
        hand.press("f")
        hand.point(self.screen(known["front"]))
        self.kept()
        expect(page.locator("[data-figure=radiality]")).to_contain_text("±")
        measured = self.marks_of(1)
        self.assertGreaterEqual(len(read_draft(measured, "top").roots), 5)
        hand.click(page.get_by_role("link", name="Done: to the sheet"))

        hand.click(page.get_by_role("link", name="Start session"))
        hand.click(page.get_by_role("button", name="Routine session"))
        hand.click(page.get_by_label("Ball depth below the root plane"))
        hand.type("90")
        hand.click(page.locator("#f-slice_mm"))
        hand.type("15")
        hand.press("Tab")
        page.locator("[data-save][data-state=kept]").wait_for()
        hand.click(page.get_by_role("button", name="Close and write the record"))
        page.wait_for_url("**/sessions/*")

        hand.click(page.get_by_role("link", name="See the path from here"))
        hand.click(page.get_by_role("button", name="Set and plan"))
        self.all_paths()
        # Schools that agree share a path.
        names = " ".join(page.locator(".path-name").all_inner_texts()).lower()
        self.assertTrue(all(school in names for school in ("gentle", "steady", "bold")), names)
        self.assertGreaterEqual(page.locator(".path-year").count(), 1)
        self.assertLessEqual(hand.clicks + hand.keys, MOST)
