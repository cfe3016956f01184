"""Pages of the shelf: what is filled in, what no one would, and what lies in records already."""

from sqlalchemy import text

from mirvo.core.limits.shelf import PotFields
from mirvo.studio.shelf.pots import add_pot, put_tree_in, tree_and_pots
from mirvo.studio.shelf.soil import begin_with_usual
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

PAGES = (
    "/shelf", "/shelf?page=9", "/shelf/pots/new", "/shelf/pots/1", "/shelf/soil",
    "/shelf/soil?change=1", "/shelf/soil/recipes/1", "/shelf/soil/recipes/1?pot=1&layer=nan",
    "/shelf/soil/recipes/1?litres=1e308&layer=-5&former=9", "/shelf/labels", "/materials",
    "/materials.txt", "/trees/1/pot", "/trees/1/pot?pot=1&turned=inf", "/trees/1/pot?turned=-999",
    "/trees/1", "/trees/1/path", "/trees/1/sessions/new", "/trees",
)  # fmt: skip


class ShelfPagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio), follow_redirects=False)
        self.tree(name="One")
        self.tree(name="Two")
        add_pot(self.studio, PotFields(name="Tray", length_mm=400, width_mm=280, depth_mm=70))
        begin_with_usual(self.studio)
        self.sent("/shelf/soil/recipes", {"recipe_name": "Mix", "part-1": "2", "part-2": "1"}, 303)

    def sent(self, place, form, status):
        answer = self.client.post(place, data=form)
        self.assertEqual(answer.status_code, status, answer.text[:300])
        return answer

    def opens(self):
        for place in PAGES:
            with self.subTest(place=place):
                answer = self.client.get(place)
                self.assertLess(answer.status_code, 500)
                self.assertNotIn(">nan", answer.text)

    def test_a_pot_is_added_changed_and_refused_at_its_field(self):
        bowl = {"name": "Bowl", "shape": "round", "length_mm": "11 in", "depth_mm": "60"}
        self.sent("/shelf/pots", bowl, 303)
        page = self.client.get("/shelf").text
        self.assertIn("279 × 279 × 60", page)
        refused = self.sent("/shelf/pots", {**bowl, "shape": "box"}, 422).text
        self.assertIn("how wide is it inside?", refused)
        self.assertIn('value="Bowl"', refused)
        self.sent("/shelf/pots/2", {**bowl, "depth_mm": "70", "version": "1"}, 303)
        again = self.sent("/shelf/pots/2", {**bowl, "depth_mm": "80", "version": "1"}, 409).text
        self.assertIn("saved", again)

    def test_a_tree_is_put_into_a_pot_and_no_other_beside_it(self):
        self.sent("/trees/1/pot", {"pot_id": "1"}, 303)
        self.assertIn("In this pot since", self.client.get("/trees/1/pot").text)
        self.assertIn("One stands in it", self.sent("/trees/2/pot", {"pot_id": "1"}, 422).text)
        self.sent("/trees/1/pot", {"pot_id": ""}, 303)
        self.sent("/trees/1/pot", {"pot_id": "77"}, 404)
        laid = self.sent("/compost/pot/1", {}, 303)
        self.assertEqual(laid.headers["location"], "/shelf?laid=pot-1")
        self.assertIn("Pot Tray", self.client.get(laid.headers["location"]).text)
        self.sent("/compost/pot/1/back", {}, 303)

    def test_labels_of_chosen_trees(self):
        answer = self.client.get("/shelf/labels.pdf?tree=1&tree=2&paper=99x38&used=3")
        self.assertEqual(answer.headers["content-type"], "application/pdf")
        self.assertEqual(answer.content[:5], b"%PDF-")
        self.assertIn("tick the trees", self.client.get("/shelf/labels.pdf?tree=9").text)
        printed = self.sent("/shelf/labels/print", {"tree-1": "1"}, 303)
        self.assertIn("1 label went", self.client.get(printed.headers["location"]).text)
        self.assertTrue((self.studio.folder / "printed labels" / "0001.pdf").exists())

    def test_pages_open_on_what_no_one_would_enter(self):
        self.opens()

    def test_no_stored_row_breaks_a_page(self):
        put_tree_in(self.studio, 1, 1)
        for pots, soil in (
            ("length_mm = 1e308, depth_mm = 1e308, rim_in_mm = 1e308", "to_mm = 0, from_mm = 0"),
            (
                "length_mm = 0, width_mm = -3, depth_mm = 0, floor_length_mm = -1",
                "kg_per_l = 1e308",
            ),
            ("shape = 'drum', belly_mm = 1e308, holes = -4, weight_kg = 1e308", "stock_l = -1e308"),
            (
                "shape = 'rounded', corner_mm = 1e308, feet_mm = 1e308",
                "ph = 1e308, from_mm = 1e308",
            ),
            ("shape = 'slab', width_mm = 1e-300", "name = '', note = char(0)"),
        ):
            with self.studio.writing() as db:
                db.execute(text(f"UPDATE pots SET {pots}"))
                db.execute(text(f"UPDATE soil_components SET {soil} WHERE id = 1"))
            with self.subTest(pots=pots):
                self.opens()
        for parts in ("'{'", "'{\"1\": -2}'", "'{\"1\": 1e999}'", "'[]'", "'{\"x\": 1}'"):
            with self.studio.writing() as db:
                db.execute(text(f"UPDATE soil_recipes SET parts = {parts}"))
            with self.subTest(parts=parts):
                self.opens()

    def test_a_recipe_for_a_pot_goes_by_the_ball_of_the_tree_in_it(self):
        empty = self.client.get("/shelf/soil/recipes/1?pot=1").text
        self.assertIn("round a usual ball", empty)
        form = {"done_on": "2026-03-20", "ball_depth_before": "60", "ball_length_after": "300"}
        form |= {"ball_width_after": "200", "ball_depth_after": "45", "pot_id": "1"}
        self.sent("/trees/1/sessions", form, 303)
        page = self.client.get("/shelf/soil/recipes/1?pot=1").text
        self.assertIn("the ball of One", page)
        with self.studio.reading() as db:
            litres = tree_and_pots(db, 1, self.studio.today).chosen.now.soil_l
        self.assertIn(f"<h2>{litres:.2f} ", page)
