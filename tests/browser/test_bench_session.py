"""A session at the bench in the browser: on a phone, the server lost meanwhile, and wide."""

from errno import ENOSPC
from unittest.mock import patch

from playwright.sync_api import expect

from mirvo.records.photos import PhotoStore
from mirvo.studio.bench_session.session import bench_state, running_session
from mirvo.studio.measuring.desk import save_marks
from tests.browser.stage import BrowserCase

PHONE = {"has_touch": True, "viewport": {"width": 390, "height": 844}}


class BenchSessionTest(BrowserCase):
    def prepare(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)

    def begin(self, page, kind="Routine session"):
        page.goto("/trees/1")
        page.get_by_role("link", name="Start session").click()
        page.get_by_role("button", name=kind).click()
        page.wait_for_url("**/bench-sessions/*")
        self.bench = self.read(running_session, 1)

    def turn_to(self, page, selector):
        """Open the step that holds something: on a phone one is in view at a time."""
        step = self.step_of(selector, page)
        page.locator(f"[data-go={step}]").tap()
        page.locator(f"#{step}").wait_for(state="visible")
        self.assertEqual(page.locator(".bench-steps > .step:visible").count(), 1)

    def answers(self):
        return self.read(bench_state, self.bench.id).answers

    def handed_over(self, page):
        page.locator("[data-save][data-state=kept]").wait_for()

    def test_what_is_no_number_is_told_beside_its_field_and_not_closed_over(self):
        page = self.page
        self.begin(page)
        page.get_by_label("Ball depth below the root plane").fill("90")
        field = page.locator("#f-slice_mm")
        field.fill("abc")
        field.blur()
        beside = page.locator(".field", has=field).get_by_role("alert")
        expect(beside).to_have_text("“abc” is no number.")
        page.get_by_role("button", name="Close and write the record").click()
        expect(page.locator("[data-close-said]")).to_contain_text("could not be kept")
        field.fill("1/2 in")
        field.blur()
        expect(beside).to_be_hidden()
        page.get_by_role("button", name="Close and write the record").click()
        page.wait_for_url("**/sessions/*")
        self.assertAlmostEqual(self.sessions_of(1)[0].slice_mm, 12.7)

    def test_a_whole_session_on_a_phone_with_the_server_killed_in_the_middle(self):
        page = self.open_page(**PHONE)
        self.begin(page)
        self.turn_to(page, "[value='buds swelling']")
        page.get_by_text("buds swelling", exact=True).tap()
        self.turn_to(page, "[name='done:lift']")
        page.get_by_label("Lift: done").tap()
        page.locator("[data-clock]").wait_for()
        self.handed_over(page)
        self.assertEqual(self.answers()["bud_stage"], "buds swelling")

        self.served.stop()
        page.get_by_role("link", name="Next: ").locator("visible=true").tap()
        self.turn_to(page, "[data-field=rot]")
        page.get_by_label("Ball depth below the root plane").fill("80")
        page.get_by_text("Rot", exact=True).tap()
        page.locator("[data-save][data-state=lost]").wait_for()
        self.turn_to(page, "[data-root=A]")
        page.locator("[data-root=A] input[value=remove]").check()
        self.turn_to(page, "#f-slice_mm")
        page.locator("#f-slice_mm").fill("20")
        page.keyboard.press("Tab")
        self.assertIn("kept on this device", page.locator("[data-save]").inner_text())
        context = page.context
        page.close()
        self.assertNotIn("rot", self.answers())

        self.served.start()
        page = context.new_page()
        page.goto(f"/bench-sessions/{self.bench.id}")
        self.assertTrue(page.get_by_label("Rot", exact=True).is_checked())
        self.handed_over(page)
        answers = self.answers()
        self.assertEqual((answers["rot"], answers["ball_depth_before"]), (True, 80.0))
        self.assertEqual(answers["root:A"]["action"], "remove")
        page.reload()
        self.assertEqual(self.answers(), answers)

        self.turn_to(page, "[name='done:fill']")
        page.get_by_label("Fill with soil: done").tap()
        self.turn_to(page, "#f-next_time")
        page.get_by_label("For next time").fill("The left side is bare.")
        page.keyboard.press("Tab")
        self.handed_over(page)
        page.locator("[data-go=close]").tap()
        page.get_by_role("button", name="Close and write the record").tap()
        page.wait_for_url("**/sessions/*")
        [session] = self.sessions_of(1)
        self.assertEqual((session.slice_mm, session.next_time), (20.0, "The left side is bare."))
        self.assertEqual(list(self.cuts_of(session)), ["A"])
        page.get_by_text("Root A").first.wait_for()

    def test_a_whole_session_on_a_wide_screen(self):
        page = self.page
        self.begin(page)
        self.assertEqual(page.locator(".step.done, .step-done :checked").count(), 0)
        page.get_by_text("buds swelling", exact=True).click()
        page.get_by_label("Ball depth below the root plane").fill("80")
        page.get_by_label("Ball length", exact=False).first.fill("300")
        page.locator("[data-root=B] input[value=shorten]").check(force=True)
        knob = page.locator("[data-knob=B]")
        knob.wait_for()
        before = self.settled(page)["root:B"]["part"]
        way = [
            tuple(map(float, pair.split(","))) for pair in knob.get_attribute("data-way").split(" ")
        ]
        knob.scroll_into_view_if_needed()
        box = knob.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        dx, dy = (way[0][i] - way[-1][i] for i in (0, 1))
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + dx * 0.2, y + dy * 0.2, steps=5)
        page.mouse.up()
        self.assertGreater(self.settled(page)["root:B"]["part"], before + 0.08)
        radiality = page.locator(".bench-side [data-after=radiality]").inner_text()
        page.locator("[data-root=C] input[value=remove]").check(force=True)
        page.locator(".bench-side [data-after=radiality]").filter(has_not_text=radiality).wait_for()
        page.locator("[data-root=C] summary").click()
        page.locator("[name='why:C']").fill("it hides a better one")
        page.keyboard.press("Tab")
        page.locator("#f-slice_mm").fill("900")
        page.keyboard.press("Tab")
        self.settled(page)
        page.get_by_role("button", name="Close and write the record").click()
        page.get_by_text("is the whole ball of 80 mm").first.wait_for()
        page.locator("#f-slice_mm").fill("-5")
        page.keyboard.press("Tab")
        page.get_by_text("cannot be; give 0 to").wait_for()
        page.locator("#f-slice_mm").fill("10")
        page.keyboard.press("Tab")
        self.settled(page)
        page.get_by_role("button", name="Close and write the record").click()
        page.wait_for_url("**/sessions/*")
        [session] = self.sessions_of(1)
        self.assertEqual(self.cuts_of(session)["C"].why, "it hides a better one")
        page.get_by_text("it hides a better one").wait_for()

    def settled(self, page):
        self.handed_over(page)
        return self.answers()

    def test_nothing_moves_under_a_finger_until_it_is_lifted(self):
        page = self.page
        self.begin(page)
        page.get_by_label("Ball depth below the root plane").fill("90")
        page.get_by_label("Ball depth below the root plane").blur()
        self.handed_over(page)
        share = page.locator("[data-part=share]")
        page.locator("#f-slice_mm").fill("15")
        before = share.inner_html()
        share.hover()
        page.mouse.down()
        page.locator("[data-save][data-state=waiting]").wait_for()
        self.handed_over(page)
        self.assertEqual(self.answers()["slice_mm"], 15.0)
        self.assertEqual(share.inner_html(), before)
        page.mouse.up()
        page.wait_for_function(
            "before => document.querySelector('[data-part=share]').innerHTML !== before", arg=before
        )

    def test_a_root_lets_go_of_its_decision_when_tapped_again(self):
        page = self.page
        self.begin(page)
        page.locator("[data-root=A] input[value=keep]").check(force=True)
        self.assertEqual(self.settled(page)["root:A"]["action"], "keep")
        page.locator("[data-root=A] label", has_text="Keep").click()
        self.assertIsNone(self.settled(page)["root:A"])

    def test_a_photo_taken_without_the_server_is_handed_over_later(self):
        page = self.page
        photo, _ = self.photo(self.tree(name="Other"), seed=5)
        content = self.studio.photos.original(photo.digest).read_bytes()
        self.begin(page)
        self.served.stop()
        picture = {"name": "wound.jpg", "mimeType": "image/jpeg", "buffer": content}
        page.locator("[data-photo=inspect]").set_input_files(picture)
        page.get_by_text("1 photo kept on this device").wait_for()
        expect(page.locator("[data-save]")).to_contain_text("The server cannot be reached. 1 kept")
        page.close()
        self.served.start()
        page = self.page.context.new_page()
        page.goto(f"/bench-sessions/{self.bench.id}")
        page.locator("#inspect img").wait_for()
        self.assertEqual(len(self.read(bench_state, self.bench.id).photos), 1)

    def test_on_a_full_disk_nothing_is_called_kept_and_the_reason_is_said(self):
        page = self.page
        photo, _ = self.photo(self.tree(name="Other"), seed=5)
        content = self.studio.photos.original(photo.digest).read_bytes()
        self.begin(page)
        save = page.locator("[data-save]")
        full = OSError(ENOSPC, "No space left on device")
        with patch.object(PhotoStore, "keep", side_effect=full):
            picture = {"name": "wound.jpg", "mimeType": "image/jpeg", "buffer": content}
            page.locator("[data-photo=inspect]").set_input_files(picture)
            expect(save).to_contain_text("Mirvo's disk is full. 1 kept on this device")
            page.locator("[data-field=next_time]").fill("Turn it by a quarter.")
            with page.expect_response("**/entries"):
                page.locator("[data-field=next_time]").blur()
            expect(save).to_contain_text("1 kept on this device")
            page.get_by_role("button", name="Close and write the record").click()
            expect(page.locator("[data-close-said]")).to_contain_text("1 of your entries")
        # Once there is room again it is handed over, and the session closes as was asked.
        page.wait_for_url("**/sessions/*")
        self.assertEqual(self.sessions_of(1)[0].next_time, "Turn it by a quarter.")
        self.assertEqual(len(self.photos_of(1)), 2)

    def test_roots_bare_are_misted(self):
        page = self.page
        self.begin(page)
        page.clock.install()
        page.get_by_label("Lift: done").check()
        page.get_by_text("Misted · next in").wait_for()
        page.clock.fast_forward("02:05")
        page.locator(".mist-due").wait_for()
        self.assertRegex(page.locator("[data-bare]").inner_text(), r"^2:0\d$")
        page.get_by_role("button", name="Mist the roots now").click()
        page.get_by_text("Misted · next in").wait_for()

    def test_without_script_a_step_is_kept_by_its_button(self):
        page = self.open_page(java_script_enabled=False)
        self.begin(page)
        page.locator("#inspect").get_by_label("Ball depth below the root plane").fill("70")
        page.locator("#inspect").get_by_label("Rot").check()
        page.locator("#inspect").get_by_role("button", name="Keep this step").click()
        self.assertEqual(self.answers()["ball_depth_before"], 70.0)
        self.assertTrue(self.answers()["rot"])
