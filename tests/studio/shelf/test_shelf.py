"""Pots, soil and the trees that stand in them: one pot everywhere it is spoken of."""

from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import ComponentFields, PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.records import PlannedStep
from mirvo.records.models import Target
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.planning_case import planning_case
from mirvo.studio.path.target import set_target
from mirvo.studio.records.corrections import correct_session, form_of_session
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.materials import as_text, season_list, step_materials
from mirvo.studio.shelf.pots import (
    add_pot,
    edit_pot,
    pot_choices,
    put_tree_in,
    shelf,
    tree_and_pots,
)
from mirvo.studio.shelf.soil import (
    begin_with_usual,
    components,
    drop_component,
    keep_component,
    keep_recipe,
    recipe_of,
    recipes,
)
from mirvo.studio.standing.pot_of_tree import load_pot, pot_of_tree, tree_in
from mirvo.studio.standing.tree_queries import load_tree, sessions_of
from mirvo.studio.yard.compost import heap, lay_on_heap, put_back
from mirvo.studio.yard.sheet import sheet_of
from mirvo.web.drawings.sheet import ground_of
from tests.studio_case import StudioCase

TRAY = {"name": "Tray", "length_mm": 400, "width_mm": 280, "depth_mm": 70}
SESSION = {
    "done_on": date(2026, 3, 20), "bud_stage": "buds swelling", "ball_depth_before": 60,
    "ball_length_after": 300, "ball_width_after": 200, "ball_depth_after": 45, "slice_mm": 15,
}  # fmt: skip


class ShelfTest(StudioCase):
    def prepare(self):
        self.tree(name="One")
        self.tree(name="Two")
        add_pot(self.studio, PotFields(**TRAY))
        add_pot(self.studio, PotFields(name="Bowl", shape="round", length_mm=260, depth_mm=60))

    def standing(self, tree_id=1):
        with self.studio.reading() as db:
            tree = load_tree(db, tree_id)
            return tree.pot_id, tree.potted_on

    def test_a_round_pot_is_as_wide_as_long_and_others_are_asked(self):
        self.assertEqual(self.read(load_pot, 2).width_mm, 260)
        with self.assertRaises(BadInput) as said:
            PotFields(name="Box", shape="box", length_mm=260, depth_mm=60)
        self.assertEqual(said.exception.field, "width_mm")
        for field, value in (("corner_mm", 150), ("rim_in_mm", 140)):
            with self.assertRaises(BadInput) as said:
                PotFields(**TRAY, shape="rounded", **{field: value})
            self.assertEqual(said.exception.field, field)

    def test_one_tree_stands_in_one_pot(self):
        put_tree_in(self.studio, 1, 1)
        self.assertEqual(self.standing(), (1, self.studio.today))
        with self.assertRaisesRegex(BadInput, "One stands in it"):
            put_tree_in(self.studio, 2, 1)
        with self.studio.reading() as db:
            self.assertEqual(tree_in(db, 1).name, "One")
            self.assertEqual([name for _, name in pot_choices(db, load_tree(db, 2))], ["Bowl"])
            self.assertEqual([one.pot.name for one in shelf(db)], ["Bowl", "Tray"])
        put_tree_in(self.studio, 1, None)
        self.assertEqual(self.standing(), (None, None))

    def test_sheet_section_standing_and_plan_follow_the_pot(self):
        record_session(self.studio, 1, SessionFields(**SESSION, pot_length_mm=300, pot_depth_mm=90))
        put_tree_in(self.studio, 1, 1)

        def seen():
            with self.studio.reading() as db:
                sheet = sheet_of(db, 1, self.studio.today)
                ground = ground_of(sheet, None)
                return ground.pot_length_mm, ground.pot_depth_mm, sheet.standing.ball.value

        length, depth, ball = seen()
        self.assertEqual((length, depth), (400, 70))
        edit_pot(self.studio, 1, PotFields(**{**TRAY, "depth_mm": 48}), 1)
        # 48 mm less what lies under the ball and over it: no more room than it had.
        self.assertEqual(seen()[:2], (400, 48))
        self.assertLessEqual(seen()[2], ball)
        put_tree_in(self.studio, 1, None)
        self.assertEqual(seen()[:2], (300, 90))

    def test_a_session_puts_the_tree_into_its_pot(self):
        done = record_session(self.studio, 1, SessionFields(**SESSION, pot_id=1))
        self.assertEqual(self.standing(), (1, date(2026, 3, 20)))
        with self.studio.reading() as db:
            [session] = sessions_of(db, 1)
            kept = session.pot_after, session.pot_length_mm, session.pot_depth_mm
            self.assertEqual(kept, ("Tray", 400, 70))
            form = form_of_session(db, session)
        # Put right: it was the bowl.
        changed = {"pot_id": 2, "pot_after": "", "pot_length_mm": None, "pot_depth_mm": None}
        correct_session(self.studio, done.id, form.model_copy(update=changed))
        self.assertEqual(self.standing()[0], 2)
        # Later into something that is not of the shelf.
        later = {**SESSION, "done_on": date(2026, 10, 1), "ball_depth_before": 50}
        form = SessionFields(**{**later, "container_after": "basket", "kind": "emergency"})
        record_session(self.studio, 1, form)
        self.assertEqual(self.standing(), (None, None))

    def test_another_container_counts_for_more_than_the_pot_a_form_begins_with(self):
        put_tree_in(self.studio, 1, 1)
        form = SessionFields(**SESSION, pot_id=1, container_after="ground", pot_after="the bed")
        done = record_session(self.studio, 1, form)
        self.assertEqual(self.standing(), (None, None))
        self.assertEqual((done.pot_id, done.pot_after, done.pot_depth_mm), (None, "the bed", None))

    def test_an_older_session_recorded_late_moves_nothing(self):
        record_session(self.studio, 1, SessionFields(**SESSION, pot_id=1))
        earlier = {**SESSION, "done_on": date(2024, 3, 20)}
        record_session(self.studio, 1, SessionFields(**earlier, pot_id=2))
        self.assertEqual(self.standing()[0], 1)

    def test_which_pots_fit_now(self):
        record_session(self.studio, 1, SessionFields(**SESSION, pot_id=1))
        with self.studio.reading() as db:
            found = tree_and_pots(db, 1, self.studio.today)
        self.assertEqual(found.chosen.on_shelf.pot.name, "Tray")
        self.assertEqual((found.ball.length, found.ball.width, found.ball.guessed), (300, 200, ()))
        verdicts = {one.on_shelf.pot.name: one.now.verdict for one in found.pots}
        # 300 mm into 260: 60 mm off 300 is a fifth.
        self.assertEqual(verdicts, {"Tray": "fits", "Bowl": "comb"})

    def test_two_saves_at_once_are_told(self):
        edit_pot(self.studio, 1, PotFields(**TRAY), 1)
        with self.assertRaises(Conflict):
            edit_pot(self.studio, 1, PotFields(**TRAY), 1)

    def test_a_pot_on_the_heap_is_in_no_list_and_comes_back_with_its_tree(self):
        put_tree_in(self.studio, 1, 1)
        lay_on_heap(self.studio, "pot", 1)
        with self.studio.reading() as db:
            self.assertEqual([one.name for one in heap(db)], ["Pot Tray"])
            self.assertIsNone(pot_of_tree(load_tree(db, 1), ()).shelf)
            self.assertEqual([one.pot.name for one in shelf(db)], ["Bowl"])
            with self.assertRaises(NotFound):
                load_pot(db, 1)
        put_back(self.studio, "pot", 1)
        with self.studio.reading() as db:
            self.assertEqual(pot_of_tree(load_tree(db, 1), ()).depth, 70)

    def test_the_planner_reckons_with_the_pot_on_the_shelf(self):
        photo, marks = self.photo(self.load_tree(1), seed=3)
        save_marks(self.studio, photo.id, marks, 0)
        wish = {"spread_ratio": 1.8, "largest_gap_deg": 90, "pot_depth_mm": 50, "year": 2034}
        set_target(self.studio, 1, TargetFields(basis="flare", **wish))
        put_tree_in(self.studio, 1, 1)

        def reckoned():
            with self.studio.reading() as db:
                target = db.scalars(select(Target)).one()
                found = planning_case(db, load_tree(db, 1), target, self.studio.today)
                return found.case.state.inner_depth_mm

        self.assertEqual(reckoned(), 70)
        edit_pot(self.studio, 1, PotFields(**{**TRAY, "depth_mm": 110}), 1)
        self.assertEqual(reckoned(), 110)

    def test_soil_is_reckoned_for_the_pot_of_the_shelf_that_is_planned(self):
        tree, target = self.load_tree(1), Target(pot_depth_mm=50.0)
        step = PlannedStep(
            year=2027, share=0.2, budget=0.3, strain=20, container="wide training pot",
            ball_depth_mm=(60, 50), woody_depth_mm=(40, 40), pot="Long tray",
            pot_inside_mm=(70, 400, 300),
        )  # fmt: skip

        def soil(one):
            items = step_materials(self.yard(), tree, 60.0, (), target, one)
            return next(item.amount for item in items if item.name == "soil")

        wider = step.model_copy(update={"pot_inside_mm": (70, 500, 300)})
        # 100 mm more of 300 mm, filled to 10 mm below the rim.
        self.assertAlmostEqual(soil(wider) - soil(step), 0.1 * 3 * 0.6 * 10, delta=0.35)

    def test_a_record_put_right_takes_the_tree_to_where_it_says(self):
        form = SessionFields(**SESSION, kind="routine", pot_id=1)
        done = record_session(self.studio, 1, form)
        self.assertEqual(self.standing()[0], 1)
        again = self.read(lambda db: form_of_session(db, done))
        other = again.model_copy(update={"container_after": "basket"})
        correct_session(self.studio, done.id, other)
        self.assertIsNone(self.standing()[0])
        self.assertEqual(self.read(load_tree, 1).container, "basket")

    def test_a_session_recorded_late_leaves_the_tree_where_it_stands(self):
        record_session(self.studio, 1, SessionFields(**SESSION, kind="routine", pot_id=1))
        late = {**SESSION, "done_on": date(2020, 3, 20), "container_after": "basket"}
        record_session(self.studio, 1, SessionFields(**late, kind="routine"))
        self.assertEqual(self.standing()[0], 1)
        self.assertEqual(self.read(load_tree, 1).container, "wide training pot")


class SoilTest(StudioCase):
    def prepare(self):
        self.tree(name="One")
        add_pot(self.studio, PotFields(**TRAY))
        begin_with_usual(self.studio)
        begin_with_usual(self.studio)  # again: nothing twice

    def mixed(self):
        with self.studio.reading() as db:
            numbers = {one.name: one.id for one in components(db)}
        clay, bark = numbers["baked clay 2 to 4 mm"], numbers["pine bark 4 to 8 mm"]
        sent = {"recipe_name": " My  mix ", f"part-{clay}": "2", f"part-{bark}": "1,5"}
        return keep_recipe(self.studio, sent["recipe_name"], sent), clay, bark

    def test_components_are_kept_once(self):
        with self.studio.reading() as db:
            names = [one.name for one in components(db)]
        self.assertEqual(len(names), len(set(names)))
        known = {"from_mm": 2, "to_mm": 4, "kg_per_l": 0.7, "water": 40, "air": 28}
        with self.assertRaisesRegex(BadInput, "of that name"):
            keep_component(self.studio, ComponentFields(name=names[0], **known))
        for wrong in ({"to_mm": 1}, {"water": 80}):
            with self.assertRaises(BadInput):
                ComponentFields(**{"name": "New", **known, **wrong})

    def test_a_recipe_by_parts(self):
        kept, clay, _ = self.mixed()
        with self.studio.reading() as db:
            known = recipe_of(db, kept.id)
        self.assertEqual(known.recipe.name, "My mix")
        self.assertEqual(known.mix.whole, 3.5)
        with self.assertRaisesRegex(BadInput, "mixed of it"):
            drop_component(self.studio, clay)
        for sent, field in (
            ({"recipe_name": "", f"part-{clay}": "1"}, "recipe_name"),
            ({"recipe_name": "Other", f"part-{clay}": "lots"}, f"part-{clay}"),
            ({"recipe_name": "Other"}, "recipe_name"),
            ({"recipe_name": "My mix", f"part-{clay}": "1"}, "recipe_name"),
        ):
            with self.assertRaises(BadInput) as said:
                keep_recipe(self.studio, sent["recipe_name"], sent)
            self.assertEqual(said.exception.field, field)

    def test_a_session_takes_its_soil_from_the_stock(self):
        kept, clay, bark = self.mixed()
        with self.studio.writing() as db:
            for one in components(db):
                one.stock_l = {clay: 10.0, bark: 0.5}.get(one.id)
        record_session(self.studio, 1, SessionFields(**SESSION, pot_id=1, recipe_id=kept.id))
        with self.studio.reading() as db:
            [session] = sessions_of(db, 1)
            stock = {one.id: one.stock_l for one in components(db)}
        # 400 * 280 * 60 less 300 * 200 * 45, and 12 %: 4.50 l, of which 2 of 3.5 parts are clay,
        # a tenth of it sieved off.
        litres = (6.72 - 2.7) * 1.12
        self.assertAlmostEqual(session.soil_l, litres, 2)
        self.assertEqual(session.soil, "My mix")
        self.assertAlmostEqual(stock[clay], 10 - litres * 2 / 3.5 / 0.9, 2)
        self.assertEqual(stock[bark], 0)

    def test_a_recipe_whose_components_are_gone_is_still_shown(self):
        kept, clay, bark = self.mixed()
        with self.studio.writing() as db:
            for number in (clay, bark):
                db.delete(next(one for one in components(db) if one.id == number))
        with self.studio.reading() as db:
            [known] = recipes(db)
        self.assertEqual((known.recipe.id, known.mix), (kept.id, None))


class SeasonTest(StudioCase):
    def prepare(self):
        tree = self.tree(name="One")
        photo, marks = self.photo(tree, seed=3)
        save_marks(self.studio, photo.id, marks, 0)
        add_pot(self.studio, PotFields(**TRAY, holes=4))
        begin_with_usual(self.studio)
        with self.studio.reading() as db:
            clay = next(one.id for one in components(db) if one.name.startswith("baked clay 2"))
        sent = {"recipe_name": "My mix", f"part-{clay}": "1"}
        keep_recipe(self.studio, sent["recipe_name"], sent)
        form = SessionFields(**{**SESSION, "done_on": date(2023, 3, 20)}, pot_id=1, recipe_id=1)
        record_session(self.studio, 1, form)
        wish = {"spread_ratio": 1.8, "largest_gap_deg": 90, "pot_depth_mm": 50, "year": 2034}
        set_target(self.studio, 1, TargetFields(basis="flare", **wish))
        self.planned(1)

    def test_soil_by_recipe_is_set_against_the_stock(self):
        season = self.read(season_list, self.studio.today)
        [one] = season.trees
        self.assertIsNotNone(one.step)
        self.assertEqual(one.recipe, "My mix")
        amounts = {item.name: item.amount for item in one.items}
        [mixed] = season.soil
        # A tenth falls through the sieve.
        self.assertAlmostEqual(mixed.amount, amounts["soil"] / 0.9, 1)
        # Nobody counted it: nothing is said to be missing.
        self.assertEqual(season.missing, [])
        with self.studio.writing() as db:
            for component in components(db):
                component.stock_l = 0.5
        season = self.read(season_list, self.studio.today)
        [short] = season.missing
        self.assertAlmostEqual(short.amount, amounts["soil"] / 0.9 - 0.5, 1)
        self.assertEqual(season.to_get[0], short)
        self.assertNotIn("soil", {item.name for item in season.to_get})

    def test_the_list_as_text_names_all_of_it_and_nothing_else(self):
        season = self.read(season_list, self.studio.today)
        text = as_text(season)
        for item in season.together:
            self.assertIn(f"{item.name} {item.amount:g}", text)
        for tool in season.tools:
            self.assertIn(tool, text)
        said = [line for line in text.split("\n\n")[0].splitlines() if line.startswith("- ")]
        wanted = [f"- {item.name} {item.amount:g} {item.unit}".rstrip() for item in season.to_get]
        self.assertEqual(said, wanted)
