"""Side views on the root desk: marked by mouse, snapped, and joined to a root plane."""

from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.root_plane import root_plane_of_day
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.photos.simulated import truth_of
from tests.browser.stage import BrowserCase


class SideTest(BrowserCase):
    def prepare(self):
        shoot_turntable(self.studio, self.tree().id)

    def setUp(self):
        super().setUp()
        self.here, self.first = self.load_tree(1), 1
        self.photos = sorted(self.photos_of(self.here.id), key=lambda p: p.id)

    def known(self, photo):
        return truth_of(self.studio, photo)["marks"]

    def on_server(self):
        self.page.locator("[data-working]").wait_for(state="hidden")
        self.kept()
        return self.open_desk(self.first)

    def test_a_view_is_marked_snapped_and_measured(self):
        page = self.page
        known = self.known(self.photos[0])
        page.goto(f"/photos/{self.first}/desk")
        page.keyboard.press("o")
        self.click_points(known["soil_line"])
        for key, name in (("a", "left_edge"), ("d", "right_edge")):
            page.keyboard.press(key)
            self.click_points([[x + 6, y] for x, y in known[name][::3]])
            page.keyboard.press("Enter")
            with page.expect_response("**/assist/edge"):
                page.keyboard.press("s")
            page.locator("[data-working]").wait_for(state="hidden")
        page.keyboard.press("r")
        self.click_points([one["point"] for one in known["emergences"]])
        page.locator("[data-figure=flare-ratio]").wait_for()
        state = self.on_server()
        truth = self.known(self.photos[0])
        width = truth["soil_line"][1][0] - truth["soil_line"][0][0]
        ends = [getattr(state.marks, name)[0][0] for name in ("left_edge", "right_edge")]
        self.assertLess(abs((ends[1] - ends[0]) / width - 1), 0.06)
        self.assertEqual(len(state.marks.emergences), len(known["emergences"]))
        page.get_by_label("Letter of root A").fill("Z")
        page.keyboard.press("Tab")
        self.assertEqual(self.on_server().marks.emergences[0].label, "Z")

    def test_eight_views_give_the_root_plane_and_advice(self):
        for photo in self.photos:
            state = self.open_desk(photo.id)
            marks = {**state.marks.as_json(), **self.known(photo)}
            marks["turntable_deg"] = state.marks.turntable_deg
            save_marks(self.studio, photo.id, marks, state.revision)
        self.page.goto(f"/photos/{self.first}/desk")
        self.page.locator("[data-root-plane]").wait_for()
        self.assertEqual(self.page.locator(".view-links a").count(), 8)
        advice = self.root_plane()
        self.page.get_by_text(advice.advice).wait_for()

    def root_plane(self):
        return self.read(root_plane_of_day, self.studio, self.here.id, self.studio.today)

    def test_one_view_alone_makes_no_plane(self):
        state = self.open_desk(self.first)
        marks = {**self.known(self.photos[0]), "emergences": []}
        save_marks(self.studio, self.first, marks, state.revision)
        self.assertIsNone(self.root_plane())
        self.page.goto(f"/trees/{self.here.id}")
        self.page.get_by_text("Not measured yet").wait_for()

    def test_another_height_is_tried_and_the_soil_line_stays(self):
        state = self.open_desk(self.first)
        known = self.known(self.photos[0])
        save_marks(self.studio, self.first, known, state.revision)
        page = self.page
        page.goto(f"/photos/{self.first}/desk")
        ratio = page.locator("[data-figure=flare-ratio] .figure")
        before = ratio.inner_text()
        (ax, ay), (bx, _) = known["soil_line"]
        page.keyboard.press("t")
        self.click_points([[(ax + bx) / 2, ay - 60]])
        tried = page.locator("[data-tried]")
        tried.get_by_text("lower").wait_for()
        self.assertEqual(tried.locator("[data-shown]").inner_text(), "none")
        page.get_by_label("What try 1 is").select_option("pot rim")
        page.mouse.click(*self.screen([(ax + bx) / 2, ay - 60]))
        for _ in range(14):
            page.keyboard.press("Shift+ArrowDown")
        tried.get_by_text("raise").wait_for()
        kept = self.on_server()
        self.assertEqual(kept.marks.tried[0].line, "pot rim")
        self.assertEqual(kept.marks.as_json()["soil_line"], known["soil_line"])
        self.assertEqual(ratio.inner_text(), before)
        page.keyboard.press("Delete")
        tried.wait_for(state="detached")

    def test_the_bare_ball_and_its_wood_are_marked(self):
        state = self.open_desk(self.first)
        known = {**self.known(self.photos[0]), "emergences": []}
        save_marks(self.studio, self.first, known, state.revision)
        page = self.page
        page.goto(f"/photos/{self.first}/desk")
        (ax, ay), (bx, by) = known["soil_line"]
        low = ay + 80
        page.keyboard.press("b")
        self.click_points([[ax, ay + 2], [bx, by + 2], [bx, low], [ax, low]])
        page.keyboard.press("Enter")
        middle = (ax + bx) / 2
        self.click_points([[middle - 40, ay + 40], [middle + 40, ay + 40]])
        page.locator("[data-figure=woody-depth] .figure").wait_for()
        marks = self.on_server().marks
        self.assertEqual((len(marks.ball.outline), len(marks.ball.wood)), (4, 1))
        ball = self.on_server().found.side.ball
        scale = ball.depth_mm.value / 80
        self.assertAlmostEqual(ball.woody_depth_mm.value, 40 * scale, delta=2.5)
        page.locator("[data-ball-trunk]").evaluate("one => one.closest('details').open = true")
        page.locator("[data-ball-trunk]").fill("5000")
        page.keyboard.press("Tab")
        page.locator("[data-figure=woody-depth]", has_text="0 mm").wait_for()
        page.keyboard.press("Escape")
        page.mouse.click(*self.screen(marks.ball.wood[0][0]))
        page.keyboard.press("Delete")
        self.assertEqual(self.on_server().marks.ball.wood, ())


class PhotoSetTest(BrowserCase):
    def test_a_set_is_taken_and_marked_in_two_photos(self):
        tree = self.tree()
        page = self.page
        self.offer_camera()
        page.goto(f"/trees/{tree.id}/photos")
        page.get_by_role("button", name="Take a set").click(no_wait_after=True)
        page.wait_for_url("**/desk")
        photos = sorted(self.photos_of(tree.id), key=lambda p: p.id)
        first, second = (truth_of(self.studio, photo)["marks"] for photo in photos[:2])
        page.get_by_text("in the photo of the set that shows it best").wait_for()
        page.keyboard.press("r")
        self.click_points(first["roots"][0]["path"])
        page.keyboard.press("Enter")
        self.kept()
        page.goto(f"/photos/{photos[1].id}/desk")
        page.keyboard.press("t")
        self.click_points(second["trunk"]["outline"][::2])
        page.keyboard.press("Enter")
        page.keyboard.press("r")
        self.click_points(second["roots"][1]["path"])
        page.keyboard.press("Enter")
        page.locator("[data-figure=trunk]").wait_for()
        self.kept()
        figures = self.open_desk(photos[0].id).found.top
        self.assertEqual(figures.labels, ["A", "B"])
        self.assertEqual(len({root.photo for root in figures.roots}), 2)
