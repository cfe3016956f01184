"""The eye check, clicked through twice by a hand that errs in a known way."""

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.studio.measuring import eye_check as eye
from tests.browser.stage import BrowserCase


class EyeTest(BrowserCase):
    def places(self, check_id):
        """Where the truth lies, in the order asked."""
        check = self.read(eye.load_check, check_id)
        listed = [place for _, place in eye.places_of(check)]
        return [listed[i] for i in eye.order_of(check)]

    def test_two_rounds_give_bias_and_deviation_and_they_are_used(self):
        page = self.page
        page.goto("/eye-checks")
        page.get_by_role("button", name="Begin a check").click()
        page.wait_for_url("**/eye-checks/1")
        rng = np.random.default_rng(5)
        for turn in (1, 2):
            page.locator("[data-text]", has_text="Click").wait_for()
            for x, y in self.places(1):
                right, down = rng.normal(0, 1.0, 2)
                page.mouse.click(*self.screen([x + 3.0 + right, y + down]))
            page.get_by_role("button", name="Done with this round").click()
            if turn == 1:
                page.get_by_text("second round of two").wait_for()
        page.get_by_text("is saved as your click deviation").wait_for()
        result = self.read(eye.load_check, 1).result
        self.assertAlmostEqual(result.bias_right, 3.0, delta=0.8)
        self.assertAlmostEqual(result.bias_down, 0.0, delta=0.8)
        self.assertLess(result.repeat, 2.0)
        page.get_by_text("lean to one side by more than chance").wait_for()
        self.assertAlmostEqual(self.yard().click_sd_px, result.deviation, 1)

    def test_nothing_is_clicked_before_the_picture_is_seen(self):
        page, held = self.page, []
        page.route("**/photo.jpg", lambda route: held.append(route))
        number = eye.begin_check(self.studio)
        page.goto(f"/eye-checks/{number}", wait_until="domcontentloaded")
        page.locator("[data-text]", has_text="is being made").wait_for()
        page.mouse.click(*self.screen(self.places(number)[0]))
        self.assertEqual(page.locator("[data-count]").inner_text().split()[0], "1")
        self.assertEqual(page.locator(".eye-ring").count(), 0)
        held[0].continue_()
        page.locator("[data-text]", has_text="Click").wait_for()
        page.mouse.click(*self.screen(self.places(number)[0]))
        page.locator("[data-count]", has_text="2 of").wait_for()

    def test_by_keyboard(self):
        page = self.page
        page.goto(f"/eye-checks/{eye.begin_check(self.studio)}")
        page.locator("[data-surface]").focus()
        page.keyboard.press("Space")
        page.locator("[data-count]", has_text="2 of").wait_for()
        page.keyboard.press("Backspace")
        page.locator("[data-count]", has_text="1 of").wait_for()

    def test_rounds_that_cannot_be(self):
        number = eye.begin_check(self.studio)
        with self.assertRaises(BadInput):
            eye.save_round(self.studio, number, [[1, 2]])
        count = len(self.places(number))
        with self.assertRaises(BadInput):
            eye.save_round(self.studio, number, [["a", 2]] * count)
        slips = [[5.0, 5.0]] * count
        eye.save_round(self.studio, number, slips)
        with self.assertRaises(BadInput) as said:
            eye.save_round(self.studio, number, slips)
        self.assertIn("mark them again", said.exception.message)
