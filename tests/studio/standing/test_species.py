"""The studio's almanac: own figures of shipped species, own species, and taking both back."""

from datetime import timedelta

from mirvo.core.almanac import Entry, figures_of, species, species_by_key
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.almanac.practice_effects import effects_of
from mirvo.studio.ground.settings import YardFields, save_yard
from mirvo.studio.standing import species as use
from mirvo.studio.standing.practice import save_practice
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.yard.trees import edit_tree
from tests.studio_case import TODAY, StudioCase


def entry(key="zelkova", **changes):
    return Entry.model_validate({**figures_of(species_by_key(key)), **changes})


class ShippedSpeciesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.row = self.tree()

    def zelkova(self):
        return self.read(use.entry_of, "zelkova")

    def window_limit(self):
        stands = self.read(standing_of, self.row.id, self.studio.today)
        return effects_of(self.yard(), stands).budget

    def test_only_what_differs_is_kept_and_holds_for_its_trees(self):
        before = self.window_limit()
        use.keep_entry(self.studio, "zelkova", entry(budget_steady=40, note="Ours sulks."))
        kept = self.yard().own_species["zelkova"].figures
        self.assertEqual(kept, {"budget_steady": 40.0, "note": "Ours sulks."})
        self.assertEqual(self.zelkova().changed, ["budget_steady", "note"])
        after = self.window_limit()
        self.assertAlmostEqual(after / before, 0.40 / 0.50)
        self.assertEqual(species_by_key("zelkova").budget.steady, 0.50)

    def test_its_window_and_interval_move_what_is_due(self):
        [usual] = self.list_trees()
        use.keep_entry(self.studio, "zelkova", entry(first_week=-1, best_week=1, last_week=3))
        [moved] = self.list_trees()
        self.assertEqual(moved.window.start - usual.window.start, timedelta(weeks=4))
        self.assertEqual(moved.window.end - usual.window.end, timedelta(weeks=3))

    def test_figures_as_shipped_are_nothing_of_its_own(self):
        use.keep_entry(self.studio, "zelkova", entry(vigour="slow"))
        use.keep_entry(self.studio, "zelkova", entry())
        self.assertEqual(self.yard().own_species, {})

    def test_shipped_figures_again_and_own_ones_back(self):
        use.keep_entry(self.studio, "zelkova", entry(vigour="slow"))
        use.lay_aside(self.studio, "zelkova")
        self.assertEqual(
            (self.zelkova().species.vigour, self.zelkova().laid_aside), ("strong", True)
        )
        use.put_back(self.studio, "zelkova")
        self.assertEqual(
            (self.zelkova().species.vigour, self.zelkova().laid_aside), ("slow", False)
        )

    def test_what_was_laid_aside_for_thirty_days_goes_with_the_next_change(self):
        use.keep_entry(self.studio, "zelkova", entry(vigour="slow"))
        use.lay_aside(self.studio, "zelkova")
        for days, left in ((30, True), (31, False)):
            self.studio.clock = lambda days=days: TODAY + timedelta(days=days)
            use.keep_entry(self.studio, "privet", entry("privet", interval_young=1.5 + days / 100))
            self.assertEqual("zelkova" in self.yard().own_species, left)

    def test_the_yard_and_the_practice_leave_it_alone(self):
        use.keep_entry(self.studio, "zelkova", entry(vigour="slow"))
        save_yard(self.studio, YardFields(name="Saltgate Yard"))
        save_practice(self.studio, {"wounds": "open"})
        self.assertEqual(self.zelkova().species.vigour, "slow")
        self.assertEqual(self.yard().name, "Saltgate Yard")

    def test_names_are_not_given_twice(self):
        with self.assertRaises(BadInput) as said:
            use.keep_entry(self.studio, "zelkova", entry(name="privet"))
        self.assertEqual(said.exception.field, "name")
        with self.assertRaises(NotFound):
            use.keep_entry(self.studio, "triffid", entry())


class OwnSpeciesTest(StudioCase):
    def test_it_begins_like_another_and_goes_its_own_way(self):
        key = use.add_entry(self.studio, "  Saltgate elm ", "chinese-elm")
        added = self.read(use.entry_of, key)
        self.assertEqual(added.species.name, "Saltgate elm")
        self.assertEqual(added.species.budget, species_by_key("chinese-elm").budget)
        self.assertIsNone(added.shipped)
        use.keep_entry(
            self.studio,
            key,
            entry("chinese-elm", name="Saltgate elm", interval_young=3, interval_mature=4),
        )
        row = self.tree(species_key=key)
        [listed] = self.list_trees("saltgate")
        self.assertEqual((listed.tree.id, listed.species.interval_for("young")), (row.id, 3))
        self.assertEqual(len(use.all_species(self.yard())), len(species()) + 1)

    def test_it_stays_while_trees_are_of_it(self):
        key = use.add_entry(self.studio, "Saltgate elm", "chinese-elm")
        row = self.tree(species_key=key)
        with self.assertRaises(BadInput) as said:
            use.lay_aside(self.studio, key)
        self.assertIn("one tree is of this species", said.exception.message)
        edit_tree(self.studio, row.id, TreeFields(name="Ferry elm", species_key="chinese-elm"), 1)
        use.lay_aside(self.studio, key)
        self.assertEqual(self.read(use.laid_aside), [(key, "Saltgate elm")])
        with self.assertRaises(BadInput) as said:
            self.tree(species_key=key)
        self.assertEqual(said.exception.field, "species_key")
        use.put_back(self.studio, key)
        self.assertEqual(self.read(use.laid_aside), [])
        self.tree(species_key=key)

    def test_names_that_cannot_be(self):
        use.add_entry(self.studio, "Saltgate elm", "chinese-elm")
        for name in ("", "   ", "saltgate ELM", "Zelkova"):
            with self.subTest(name=name), self.assertRaises(BadInput) as said:
                use.add_entry(self.studio, name, "zelkova")
            self.assertEqual(said.exception.field, "new_name")
        with self.assertRaises(BadInput):
            use.add_entry(self.studio, "Nowhere elm", "triffid")
        with self.assertRaises(NotFound):
            use.put_back(self.studio, "zelkova")

    def test_names_without_a_latin_letter_get_keys_of_their_own(self):
        first = use.add_entry(self.studio, "欅", "zelkova")
        second = use.add_entry(self.studio, "楓", "zelkova")
        self.assertNotEqual(first, second)
        self.assertEqual(self.read(use.entry_of, second).species.name, "楓")

    def test_a_name_put_back_may_have_been_taken_meanwhile(self):
        key = use.add_entry(self.studio, "Saltgate elm", "chinese-elm")
        use.lay_aside(self.studio, key)
        use.add_entry(self.studio, "Saltgate elm", "chinese-elm")
        with self.assertRaises(BadInput):
            use.put_back(self.studio, key)
        self.assertEqual(self.yard().own_species[key].laid_aside, self.studio.today)
