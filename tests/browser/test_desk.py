"""The root desk by mouse, keyboard and touch, and when the server goes away."""

from math import pi

from shapely import Polygon

from mirvo.studio.measuring.desk import save_marks
from tests.browser.stage import BrowserCase
from tests.marks import ring


class DeskTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.photo_row, self.marks = self.photo(self.tree())
        self.desk = f"/photos/{self.photo_row.id}/desk"

    def marked(self):
        save_marks(self.studio, self.photo_row.id, self.marks, 0)

    def on_server(self):
        return self.marks_of(self.photo_row.id)

    def test_an_outline_said_to_be_guessed_widens_what_rests_on_it(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        before = page.locator("[data-root-table] td").all_inner_texts()
        page.get_by_text("Calibration and heights", exact=True).click()
        page.get_by_label("The trunk's edge there").select_option("guessed")
        self.kept()
        page.locator("[data-found]", has_text="the trunk's outline").wait_for()
        self.assertNotEqual(page.locator("[data-root-table] td").all_inner_texts(), before)
        off = self.on_server()["trunk"]["outline_sd_px"]
        wide = 2 * (Polygon(self.marks["trunk"]["outline"]).area / pi) ** 0.5
        self.assertAlmostEqual(off / wide, 0.05, places=3)
        page.reload()
        page.get_by_text("Calibration and heights", exact=True).click()
        edge = page.get_by_label("The trunk's edge there")
        self.assertEqual(edge.input_value(), "guessed")
        edge.select_option("seen")
        page.locator("[data-found]").wait_for(state="detached")
        self.kept()
        self.assertNotIn("outline_sd_px", self.on_server()["trunk"])

    def test_a_point_is_dragged_nudged_and_undone(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        before = self.marks["roots"][0]["path"][-1]
        place = f"roots/0/path/{len(self.marks['roots'][0]['path']) - 1}"
        x, y = self.screen(before)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 90, y + 12, steps=6)
        page.mouse.up()
        self.kept()
        dragged = self.on_server()["roots"][0]["path"][-1]
        self.assertGreater(dragged[0], before[0] + 20)
        self.assertEqual(page.locator(".handle.chosen").get_attribute("data-address"), place)
        page.keyboard.press("Shift+ArrowUp")
        page.keyboard.press("ArrowLeft")
        self.kept()
        nudged = self.on_server()["roots"][0]["path"][-1]
        self.assertAlmostEqual(nudged[1], dragged[1] - 10, 3)
        self.assertAlmostEqual(nudged[0], dragged[0] - 1, 3)
        for _ in range(3):
            page.keyboard.press("z")
        self.kept()
        self.assertEqual(self.on_server()["roots"][0]["path"][-1], before)
        page.keyboard.press("Shift+z")
        self.kept()
        self.assertEqual(self.on_server()["roots"][0]["path"][-1], dragged)

    def test_by_keyboard_alone(self):
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.locator("[data-cal=kind]").select_option("segment")
        page.locator("[data-cal=length_mm]").fill("100")
        page.locator("[data-surface]").focus()

        def go(keys):
            for key in keys:
                page.keyboard.press(key)

        middle = page.locator("[data-cross]").filter(has_text="right,")
        go(["k"])
        middle.wait_for()
        go([*["Alt+ArrowLeft"] * 2, "Space", *["Alt+ArrowRight"] * 4, "Space"])
        go(["t", "Alt+ArrowUp", "Space", "Alt+ArrowLeft", "Alt+ArrowLeft", "Space"])
        go(["Alt+ArrowDown", "Alt+ArrowDown", "Space", "Alt+ArrowRight", "Space", "Enter"])
        go(["r"])
        page.locator("[data-cross]").filter(has_text="trunk").wait_for()
        go(["Space", "Shift+ArrowDown", "Shift+ArrowDown", "Space", "Enter"])
        go(["Shift+ArrowUp", "Space", "Shift+ArrowRight", "Space", "h"])
        self.kept()
        marks = self.on_server()
        self.assertEqual(marks["calibration"]["b"][0] - marks["calibration"]["a"][0], 400)
        self.assertEqual(len(marks["trunk"]["outline"]), 4)
        [root] = marks["roots"]
        self.assertEqual((root["label"], root["height"], len(root["path"])), ("A", "above", 2))
        self.assertIsNotNone(page.locator("[data-figure=trunk]").text_content())

    def test_by_touch(self):
        page = self.open_page(has_touch=True, viewport={"width": 390, "height": 844})
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.get_by_role("button", name="Front").tap()
        x, y = self.screen(self.marks["front"], page)
        page.touchscreen.tap(x, y)
        self.kept(page)
        front = self.on_server()["front"]
        self.assertLess(abs(front[0] - self.marks["front"][0]), 6)
        self.assertLess(abs(front[1] - self.marks["front"][1]), 6)

    def test_two_fingers_zoom_and_move_the_photo(self):
        self.marked()
        page = self.open_page(has_touch=True, viewport={"width": 390, "height": 844})
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        a, b = self.marks["roots"][0]["path"][0], self.marks["front"]

        def apart():
            (ax, ay), (bx, by) = self.screen(a, page), self.screen(b, page)
            return ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5

        before, held = apart(), self.on_server()
        touch = page.context.new_cdp_session(page)
        for kind, spread in [("Start", 30), ("Move", 45), ("Move", 60), ("End", None)]:
            fingers = [] if spread is None else [(195 - spread, 260), (195 + spread, 260)]
            touch.send("Input.dispatchTouchEvent", {
                "type": f"touch{kind}",
                "touchPoints": [{"x": x, "y": y, "id": i} for i, (x, y) in enumerate(fingers)],
            })  # fmt: skip
        self.assertAlmostEqual(apart() / before, 2.0, delta=0.1)
        self.assertEqual(self.on_server(), held)

    def test_an_outline_beside_the_first_is_a_second_trunk(self):
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.locator("[data-cal=kind]").select_option("segment")
        page.locator("[data-cal=length_mm]").fill("100")
        page.get_by_role("button", name="Calibrate").click()
        self.click_points([[100.0, 100.0], [300.0, 100.0]])

        def trunk(x, y, across):
            page.keyboard.press("t")
            self.click_points(ring(x, y, across / 2, across / 2, clicks=8))
            page.keyboard.press("Enter")

        trunk(360, 310, 120)
        trunk(540, 300, 80)
        page.get_by_role("rowheader", name="trunk 2").wait_for()
        self.kept()
        marks = self.on_server()
        self.assertIsNone(marks["trunk"])
        self.assertEqual([round(one["outline"][0][0], -1) for one in marks["trunks"]], [360, 540])
        both = page.locator("[data-figure=trunk] .figure").inner_text()
        self.assertAlmostEqual(float(both), (60**2 + 40**2) ** 0.5, delta=1.5)
        trunk(545, 305, 90)
        self.kept()
        self.assertEqual(len(self.on_server()["trunks"]), 2)
        page.keyboard.press("Escape")
        page.mouse.click(*self.screen(self.on_server()["trunks"][1]["outline"][0]))
        page.keyboard.press("Delete")
        self.kept()
        marks = self.on_server()
        self.assertNotIn("trunks", marks)
        self.assertEqual(len(marks["trunk"]["outline"]), 8)

    def test_marks_survive_a_lost_server(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        self.served.stop()
        page.keyboard.press("f")
        page.mouse.click(*self.screen([300.0, 500.0]))
        page.locator("[data-save][data-state=lost]").wait_for()
        self.served.start()
        self.kept()
        self.assertLess(abs(self.on_server()["front"][0] - 300.0), 3)

    def test_marks_survive_a_lost_answer(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo

        def lose_the_answer(route):
            route.fetch()
            route.abort()

        page.route("**/marks", lose_the_answer, times=1)
        page.keyboard.press("f")
        page.mouse.click(*self.screen([300.0, 500.0]))
        page.locator("[data-save][data-state=lost]").wait_for()
        page.keyboard.press("Shift+ArrowRight")
        self.kept()
        self.assertLess(abs(self.on_server()["front"][0] - 310.0), 3)

    def test_marks_survive_a_reload_while_they_are_handed_over(self):
        self.marked()
        self.reloaded_in_the_middle(300.0, arrives=False)
        self.reloaded_in_the_middle(400.0, arrives=True)

    def reloaded_in_the_middle(self, x, arrives):
        """The front is set at x, nudged by 10 while that is handed over, and the page reloaded."""
        page, held = self.page, []
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo

        def hold(route):
            held.append(route)

        page.route("**/marks", hold, times=1)
        page.keyboard.press("f")
        page.mouse.click(*self.screen([x, 500.0]))
        for _ in range(500):
            if held:
                break
            page.wait_for_timeout(20)
        page.keyboard.press("Shift+ArrowRight")
        if arrives:
            held[0].fetch()
        page.reload()
        held[0].abort()
        self.kept()
        self.assertLess(abs(self.on_server()["front"][0] - x - 10.0), 3)

    def test_marks_changed_elsewhere_are_not_overwritten(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        save_marks(self.studio, self.photo_row.id, {**self.marks, "front": [200.0, 500.0]}, 1)
        page.keyboard.press("f")
        page.mouse.click(*self.screen([300.0, 500.0]))
        saved = page.locator("[data-save]")
        saved.get_by_text("changed in another window").wait_for()
        page.reload()
        saved.get_by_text("changed elsewhere").wait_for()
        self.assertEqual(self.on_server()["front"][0], 200.0)
        page.get_by_role("button", name="Redo").click()
        self.kept()
        self.assertLess(abs(self.on_server()["front"][0] - 300.0), 3)

    def test_what_is_wrong_is_said_beside_the_photo(self):
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.locator("[data-cal=kind]").select_option("segment")
        page.locator("[data-cal=length_mm]").fill("100")
        page.get_by_role("button", name="Calibrate").click()
        self.click_points([[100.0, 100.0], [300.0, 100.0]])
        page.keyboard.press("t")
        self.click_points([[300.0, 200.0], [500.0, 400.0], [500.0, 200.0], [300.0, 400.0]])
        page.keyboard.press("Enter")
        page.get_by_text("crosses itself").wait_for()
        self.assertEqual(len(self.on_server()["trunk"]["outline"]), 4)

    def test_a_calibrated_photo_is_calibrated_anew_another_way(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.get_by_text("Calibration and heights", exact=True).click()
        kind = page.locator("[data-cal=kind]")
        kind.select_option("ellipse")
        page.locator("[data-hint]").get_by_text("five points or more").wait_for()
        page.locator("[data-cal=length_mm]").fill("46")
        page.locator("[data-cal=width_mm]").fill("44")
        page.keyboard.press("Tab")
        self.assertEqual(kind.input_value(), "ellipse")
        self.assertEqual(self.on_server()["calibration"]["kind"], self.marks["calibration"]["kind"])
        self.click_points(self.marks["trunk"]["outline"][::3])
        page.keyboard.press("Enter")
        self.kept()
        drawn = self.on_server()["calibration"]
        said = (drawn["kind"], drawn["length_mm"], drawn["width_mm"])
        self.assertEqual(said, ("ellipse", 46, 44))
        page.keyboard.press("z")
        page.locator("[data-hint]").get_by_text("five points or more").wait_for()
        self.assertEqual(kind.input_value(), "ellipse")

    def test_a_length_nobody_entered_is_asked_for_and_not_made_up(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.get_by_text("Calibration and heights", exact=True).click()
        page.locator("[data-cal=kind]").select_option("rectangle")
        for name in ("length_mm", "width_mm"):
            page.locator(f"[data-cal={name}]").fill("")
        page.get_by_role("button", name="Calibrate").click()
        self.click_points([[150.0, 120.0], [520.0, 120.0], [520.0, 420.0], [150.0, 420.0]])
        page.get_by_text("Enter the length and width of what you calibrate by").wait_for()
        self.assertEqual(page.get_by_text("Trunk diameter").count(), 0)
        page.locator("[data-cal=length_mm]").fill("240")
        page.locator("[data-cal=width_mm]").fill("190")
        page.keyboard.press("Tab")
        page.get_by_text("Trunk diameter").wait_for()

    def test_points_too_few_are_told_and_come_back(self):
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.locator("[data-cal=kind]").select_option("rectangle")
        page.keyboard.press("k")
        hint = page.locator("[data-hint]")
        corners = [[200.0, 150.0], [500.0, 150.0], [500.0, 400.0], [200.0, 400.0]]
        self.click_points(corners[:3])
        hint.get_by_text("3 of 4 set").wait_for()
        page.keyboard.press("f")
        hint.get_by_text("nothing was marked: 3 of 4").wait_for()
        page.keyboard.press("z")
        hint.get_by_text("3 of 4 set").wait_for()
        page.reload()
        hint.get_by_text("3 of 4 set").wait_for()
        self.click_points(corners[3:])
        self.kept()
        self.assertEqual(len(self.on_server()["calibration"]["corners"]), 4)

    def test_a_root_drawn_inward_is_turned_and_a_lens_entered(self):
        self.marks["roots"] = [self.marks["roots"][0]]
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        root = self.marks["roots"][0]
        page.keyboard.press("]")
        page.keyboard.press("Delete")
        page.keyboard.press("r")
        self.click_points(root["path"][::-1])
        page.keyboard.press("Enter")
        page.get_by_text("Calibration and heights", exact=True).click()
        page.get_by_label("Lens").fill("31")
        page.get_by_label("Lens").press("Enter")
        self.kept()
        [drawn] = self.on_server()["roots"]
        self.assertLess(abs(drawn["path"][0][0] - root["path"][0][0]), 4)
        self.assertEqual(self.on_server()["calibration"]["focal_length_35mm"], 31)

    def test_roots_are_read_and_edited_in_the_table_too(self):
        self.marked()
        page = self.page
        page.goto(self.desk)
        page.keyboard.press("0")  # the whole photo
        page.get_by_label("State of root A").select_option("dead")
        page.locator(".fault-line", has_text="dead").wait_for()
        self.assertEqual(self.on_server()["roots"][0]["condition"], "dead")
