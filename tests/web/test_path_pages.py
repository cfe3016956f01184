"""Path, plans and materials without a browser, and the drawings of them."""

import threading
import time
from unittest.mock import patch

from mirvo.core.limits.shelf import PotFields
from mirvo.core.plan import paths
from mirvo.studio.path.plans import plans_of
from mirvo.studio.path.target import hold_year, holds_of
from mirvo.studio.shelf.pots import add_pot
from mirvo.studio.standing.tree_queries import newest_plan
from mirvo.web.app import create_app
from mirvo.web.drawings.target import Wish, draw_target
from mirvo.web.drawings.three_paths import draw_three_paths
from tests.client import TestClient
from tests.studio.path.test_path import PathCase, PlannedCase
from tests.web.test_pages import words


def of_role(scene, role):
    return [shape for shape in scene.shapes if shape.role == role]


class PathPagesTest(PlannedCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio), follow_redirects=False)

    def post(self, address, status=303, **data):
        answer = self.client.post(address, data=data)
        self.assertEqual(answer.status_code, status, answer.text[:300])
        # Planned beside the pages, which wait for it a moment only.
        self.studio.settle(wholly=True)
        return answer.text

    def test_everything_fixed_by_hand_is_on_the_page_and_goes_again(self):
        self.post("/trees/1/holds", hold_year="2030", allow="final pot", why="exhibition")
        page = words(self.client.get("/trees/1/path"))
        self.assertIn("In the show pot by <strong>2030</strong>: exhibition", page)
        self.post("/trees/1/holds", hold_year="2030", release="1")
        self.assertNotIn("exhibition", self.client.get("/trees/1/path").text)
        self.assertIn(
            "Please give a whole number", self.post("/trees/1/holds", 422, hold_year="soon")
        )

    def test_paths_come_as_they_are_ready(self):
        going, plan = threading.Event(), paths.plan_school
        self.addCleanup(going.set)
        made = []

        def one_at_a_time(case, school, *more):
            if made:
                going.wait(60)
            made.append(school)
            return plan(case, school, *more)

        with patch.object(paths, "plan_school", one_at_a_time):
            sent = {"spread_ratio": "2.6", "largest_gap_deg": "100", "pot_depth_mm": "60"}
            at = self.client.post("/trees/1/target", data=sent).headers["location"]
            for _ in range(600):
                page = words(self.client.get(at))
                if "New paths as they are ready" in page:
                    break
                time.sleep(0.05)
            # The studio's own school first; the others are still to come.
            self.assertEqual(made, ["steady"])
            self.assertEqual(page.count("planning …"), 2)
            going.set()
            self.studio.settle(wholly=True)
        self.assertNotIn("planning …", self.client.get("/trees/1/path").text)

    def test_a_changed_target_is_answered_before_it_is_planned(self):
        self.planned(1)
        before = self.read(newest_plan, 1).id
        with self.studio.planning:
            # Nothing can be planned now, and nobody waits for it.
            answer = self.client.post(
                "/trees/1/target",
                data={"spread_ratio": "2.6", "largest_gap_deg": "100", "pot_depth_mm": "60"},
            )
            at = answer.headers["location"]
            page = words(self.client.get(at))
            self.assertIn("Planning …", page)
            self.assertIn('value="2.6"', page)
            self.assertEqual(self.read(newest_plan, 1).id, before)
        self.studio.settle(wholly=True)
        page = words(self.client.get("/trees/1/path"))
        self.assertNotIn("Planning …", page)
        self.assertGreater(self.read(newest_plan, 1).id, before)

    def test_a_point_of_the_curve_shows_its_own_steps(self):
        self.record()
        self.target(spread_ratio=2.0, pot_depth_mm=80)
        path = self.planned(1).result.path_of("gentle")
        others = [point for point in path.tradeoff if point.year != path.reached_year]
        for point in others:
            page = words(self.client.get(f"/trees/1/path?school=gentle&arriving={point.year}"))
            self.assertIn(f"This plan gets there in {point.year}", page)
            self.assertIn(f"gentle, there in {point.year}", page)
        self.assertTrue(others, "the case must offer a choice")
        for bad in ("\u0663", "2035x", "9" * 5000, "-1", str(path.reached_year)):
            page = self.client.get("/trees/1/path", params={"school": "gentle", "arriving": bad})
            self.assertEqual(page.status_code, 200, bad)
            self.assertNotIn("data-other-way", page.text)

    def test_pots_of_the_shelf_are_chosen_for_a_path(self):
        tray = PotFields(name="Grey oval", length_mm=300, width_mm=220, depth_mm=70)
        show = PotFields(name="Grey oval", length_mm=260, width_mm=190, depth_mm=60)
        first, second = add_pot(self.studio, tray), add_pot(self.studio, show)
        self.assertIn("Pots on the shelf for it", self.client.get("/trees/1/path").text)
        last = {str(first.id): "usual pot", str(second.id): "final pot", "only_shelf": "1"}
        self.post("/trees/1/target-pots", **last)
        case = self.planned(1).case
        self.assertTrue(case.only_shelf)
        # Two of one name are told apart by a number.
        said = [(pot.name, pot.kind, pot.inner_depth_mm) for pot in case.pots]
        self.assertEqual(said, [("Grey oval", "usual pot", 70), ("Grey oval (2)", "final pot", 60)])
        self.assertEqual(case.need_mm, 40)
        two = {str(first.id): "final pot", str(second.id): "final pot"}
        self.assertIn("choose one last pot", self.post("/trees/1/target-pots", 422, **two))
        self.assertIn("no longer", self.post("/trees/1/target-pots", 422, **{"99": "basket"}))
        self.post("/trees/1/target-pots", **{str(first.id): ""})
        self.assertEqual(self.planned(1).case.pots, ())

    def test_containers_and_gap_methods_are_chosen(self):
        self.post("/trees/1/containers", container=["basket", "usual pot"])
        case = self.planned(1).case
        self.assertEqual(case.containers, ("usual pot", "basket", "final pot"))
        self.assertIn("tick at least one", self.post("/trees/1/containers", 422))
        self.target(largest_gap_deg=40)
        between = self.planned(1).case.gaps[0].between
        self.post("/trees/1/gaps", **{between: "ground layer"})
        page = self.client.get("/trees/1/path").text
        self.assertIn("Make the <strong>ground layer</strong>", page)
        self.assertIn("is not one of", self.post("/trees/1/gaps", 422, **{between: "glue"}))

    def test_a_root_that_grows_back_is_cut_again(self):
        label = self.planned(1).case.faults[0].label
        self.post("/trees/1/regrowth", **{label: "1"})
        self.assertEqual(self.planned(1).case.faults[0].returns_years, 1)
        self.assertIn("back after 1 year", self.client.get("/trees/1/path").text)
        self.assertIn("whole years", self.post("/trees/1/regrowth", 422, **{label: "soon"}))
        self.assertIn("after 1 to 15", self.post("/trees/1/regrowth", 422, **{label: "99"}))
        self.post("/trees/1/regrowth", **{label: ""})
        self.assertIsNone(self.planned(1).case.faults[0].returns_years)

    def test_levers_come_as_a_part_and_as_a_page(self):
        self.post("/trees/1/path")
        part = self.client.post("/trees/1/path/forward", headers={"HX-Request": "true"}).text
        page = self.client.post("/trees/1/path/forward", data={"school": "bold"}).text
        self.assertNotIn("<html", part)
        self.assertIn("<html", page)
        for text in (part, page):
            self.assertIn("What would bring it forward", text)

    def test_plans_are_named_compared_and_taken_up(self):
        self.planned(1)
        hold_year(self.studio, 1, 2028, "")
        self.planned(1)
        newest, first = self.read(plans_of, 1)
        self.post(f"/plans/{first.id}/name", name="calm")
        self.assertIn("already", self.post(f"/plans/{newest.id}/name", 422, name="calm"))
        page = self.client.get(f"/trees/1/plans?plan={first.id}&plan={newest.id}").text
        self.assertEqual(page.count('class="path-year'), 2)
        self.post(f"/plans/{first.id}/take-up")
        self.assertEqual(self.read(holds_of, 1), ())
        self.assertEqual(self.client.post("/plans/99/take-up").status_code, 404)
        self.assertEqual(self.client.get("/trees/99/plans").status_code, 404)

    def test_materials_and_buds(self):
        self.planned(1)
        self.assertEqual(self.client.get("/materials").status_code, 200)
        self.post("/trees/1/buds", stage="buds swelling")
        sheet = self.sheet_of(1)
        self.assertEqual(
            (sheet.tree.buds_seen, sheet.tree.buds_seen_on), ("buds swelling", self.studio.today)
        )
        self.post("/trees/1/buds", 422, stage="purple")
        self.post("/trees/1/buds", stage="", from_tree="1")
        self.assertIsNone(self.sheet_of(1).tree.buds_seen_on)

    def test_without_a_target_the_page_offers_one_with_reasons(self):
        tree = self.tree(name="New one")
        self.assertEqual(self.client.get(f"/trees/{tree.id}/path").status_code, 200)


class DrawingsTest(PathCase):
    def setUp(self):
        super().setUp()
        self.record()
        self.target()
        self.result = self.planned(1).result
        self.sheet = self.sheet_of(1)

    def test_ring_and_floor_stand_to_one_scale_where_their_knobs_are(self):
        scene = draw_target(self.sheet, None, Wish(2.0, 60.0))
        [ring], [floor] = of_role(scene, "target-ring"), of_role(scene, "target-floor")
        knobs = {knob.attributes["data-knob"]: knob.attributes for knob in of_role(scene, "knob")}
        trunk = self.figures.trunk_diameter_mm.value
        scale = float(ring.attributes["r"]) / trunk  # a ring of two trunks has one as radius
        at = float(knobs["ring"]["cx"]) - float(ring.attributes["cx"])
        self.assertAlmostEqual(at, float(ring.attributes["r"]), delta=0.2)
        [line] = of_role(scene, "soil-line")
        soil = line.attributes["d"].split()[1]
        depth = float(knobs["floor"]["cy"]) - float(soil)
        self.assertAlmostEqual(depth / scale, 60.0, delta=1.0)
        self.assertIn(f"{float(knobs['floor']['cy']):.1f}", floor.attributes["d"])
        self.assertEqual(knobs["ring"]["aria-valuetext"], "2.00 trunks")
        self.assertEqual(scene.role, "group")

    def test_no_drawing_before_a_measurement(self):
        bare = self.sheet_of(self.tree(name="Unmeasured").id)
        self.assertIsNone(draw_target(bare, None, Wish(2.0, 60.0)))

    def test_each_path_has_its_sessions_flag_and_chances(self):
        rows = [(path.school, path) for path in self.result.paths]
        scene = draw_three_paths(rows, 2026, 15, 2030)
        sessions = sum(len(path.steps) for _, path in rows)
        self.assertEqual(len(of_role(scene, "session-disc")), sessions)
        reached = [path for _, path in rows if path.reached_year]
        self.assertEqual(len(of_role(scene, "arrival-flag")), len(reached))
        bars = sum(len(path.chance_by_year) for path in reached)
        self.assertEqual(len(of_role(scene, "chance-bar")), bars)
        self.assertIn(f"there in {reached[0].reached_year}", scene.description)
        lost = self.result.path_of("bold").model_copy(
            update={"reached_year": None, "chance_by_year": {}}
        )
        self.assertIn(
            "out of reach", draw_three_paths([("bold", lost)], 2026, 15, None).description
        )
