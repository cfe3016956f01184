"""Ordinary pages in the browser: intake, search, two tabs, the phone."""

import io
import re

from PIL import Image
from playwright.sync_api import expect

from mirvo.studio.measuring.desk import save_marks
from tests.browser.stage import BrowserCase


def jpeg():
    out = io.BytesIO()
    Image.new("RGB", (900, 700), (120, 110, 90)).save(out, "JPEG")
    return out.getvalue()


def upload(name, content):
    return {"name": name, "mimeType": "image/jpeg", "buffer": content}


class PagesTest(BrowserCase):
    def test_several_photos_go_in_and_the_bad_one_is_named(self):
        tree = self.tree()
        self.page.goto(f"/trees/{tree.id}/photos")
        files = [upload("one.jpg", jpeg()), upload("note.jpg", b"text"), upload("none.jpg", b"")]
        self.page.locator("#files").set_input_files(files)
        self.page.get_by_role("button", name="Add photos").click()
        complaints = self.page.locator("[data-results] .complaint")
        expect(complaints).to_have_count(2)
        self.assertIn("note.jpg", complaints.nth(0).inner_text())
        self.assertIn("0 bytes", complaints.nth(1).inner_text())
        self.assertEqual(len(self.photos_of(tree.id)), 1)

    def test_a_day_that_is_none_is_said_beside_each_photo(self):
        self.page.goto(f"/trees/{self.tree().id}/photos")
        self.page.locator("#files").set_input_files([upload("one.jpg", jpeg())])
        self.page.get_by_label("Taken on").fill("the other day")
        self.page.get_by_role("button", name="Add photos").click()
        complaint = self.page.locator("[data-results] .complaint")
        expect(complaint).to_contain_text("one.jpg: “the other day” is no day")
        expect(complaint).to_contain_text("2026. It is still chosen")

    def test_a_set_says_how_far_it_is_and_can_be_stopped(self):
        tree, page = self.tree(), self.page
        self.offer_camera()
        page.goto(f"/trees/{tree.id}/photos")
        page.get_by_role("button", name="Take a set").click()
        panel = page.locator("[data-working]")
        expect(panel.locator("[data-stage]")).to_have_text(re.compile(r"Taking photo \d of 4"))
        expect(panel.get_by_role("button", name="Stop")).to_be_in_viewport(ratio=1.0)
        expect(page.get_by_role("button", name="Take eight side views")).to_be_disabled()
        panel.get_by_role("button", name="Stop").click()
        expect(panel).to_contain_text("stopped")
        expect(page.get_by_role("button", name="Take a set")).to_be_enabled()
        # Stopped, it leaves no half a set behind.
        self.assertFalse(self.photos_of(tree.id))

    def test_slash_finds_a_tree_and_its_parts(self):
        self.tree()
        mole = self.tree(name="Mole pine", species_key="scots-pine")
        self.page.goto("/")
        self.page.keyboard.press("/")
        self.page.keyboard.type("mole")
        found = self.page.locator(".found a")
        expect(found.first).to_have_text("Mole pine")
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("ArrowDown")
        expect(found.nth(1)).to_be_focused()
        self.page.keyboard.press("Enter")
        self.page.wait_for_url(f"**/trees/{mole.id}/photos")
        self.page.keyboard.press("/")
        self.page.keyboard.type("mo pa")
        self.page.keyboard.press("Enter")
        self.page.wait_for_url(f"**/trees/{mole.id}/path")

    def test_the_list_of_trees_narrows_while_typing(self):
        self.tree()
        self.tree(name="Mole pine", species_key="scots-pine")
        self.page.goto("/trees")
        self.page.locator("#q").fill("zelk")
        expect(self.page.locator(".base-name > a")).to_have_text(["Ferry zelkova"])
        # What is typed stays under the hand while the list changes.
        expect(self.page.locator("#q")).to_be_focused()
        expect(self.page.locator("#q")).to_have_value("zelk")

    def test_two_tabs_keep_both_sides(self):
        tree = self.tree()
        second = self.open_page()
        for page in (self.page, second):
            page.goto(f"/trees/{tree.id}/edit")
        self.page.get_by_label("Note").fill("from the first tab")
        self.page.get_by_role("button", name="Save").click()
        second.get_by_label("Note").fill("from the second tab")
        second.get_by_role("button", name="Save").click()
        expect(second.get_by_role("alert")).to_contain_text("another tab")
        expect(second.locator("table")).to_contain_text("from the first tab")
        self.assertEqual(second.get_by_label("Note").input_value(), "from the second tab")

    def test_the_desk_in_two_windows_does_not_overwrite(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)
        desk = f"/photos/{photo.id}/desk"
        self.page.goto(desk)
        self.page.keyboard.press("0")  # the whole photo
        save_marks(self.studio, photo.id, {**marks, "front": [10.0, 10.0]}, 1)
        self.page.keyboard.press("f")
        self.page.mouse.click(*self.screen([300.0, 500.0]))
        self.page.locator("[data-save][data-state=lost]", has_text="another window").wait_for()
        self.assertEqual(self.marks_of(photo.id)["front"], [10.0, 10.0])

    def test_removing_and_undoing_by_button(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)
        self.page.goto(f"/photos/{photo.id}/desk")
        count = len(marks["roots"])
        self.page.get_by_role("button", name="A", exact=True).click()
        self.page.locator("[data-surface]").focus()
        self.page.keyboard.press("Delete")
        expect(self.page.locator("[data-root]")).to_have_count(count - 1)
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.locator("[data-root]")).to_have_count(count)

    def test_nothing_runs_off_a_phone(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)
        page = self.open_page(viewport={"width": 390, "height": 844})
        for place in (
            "/", "/trees", "/trees/1", "/trees/1/photos", "/trees/1/sessions/new",
            "/trees/1/path", f"/photos/{photo.id}/desk",
        ):  # fmt: skip
            with self.subTest(place=place):
                page.goto(place)
                self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 391)

    def test_a_future_session_is_refused_with_everything_kept(self):
        self.tree()
        self.page.goto("/trees/1/sessions/new")
        self.page.get_by_label("Date").fill("2031-04-01")
        self.page.get_by_label("Reason").fill("mat of root")
        self.page.get_by_role("button", name="Record the session").click()
        expect(self.page.get_by_role("alert")).to_contain_text("is in the future")
        self.assertEqual(self.page.get_by_label("Reason").input_value(), "mat of root")
