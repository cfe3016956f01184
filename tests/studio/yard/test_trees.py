"""Trees: added, edited in two tabs, found again."""

from mirvo.core.errors import BadInput, Conflict
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.yard.trees import edit_tree
from tests.studio_case import StudioCase


class TreesTest(StudioCase):
    def test_a_second_tab_cannot_overwrite(self):
        tree = self.tree()
        form = TreeFields(name="Ferry zelkova", species_key="zelkova", note="first")
        edit_tree(self.studio, tree.id, form, 1)
        with self.assertRaises(Conflict):
            edit_tree(self.studio, tree.id, form.model_copy(update={"note": "second"}), 1)
        self.assertEqual(self.load_tree(tree.id).note, "first")

    def test_future_arrival_and_unknown_species(self):
        with self.assertRaises(BadInput) as said:
            self.tree(acquired_on="2030-01-01")
        self.assertEqual(said.exception.field, "acquired_on")
        with self.assertRaises(BadInput) as said:
            self.tree(species_key="triffid")
        self.assertEqual(said.exception.field, "species_key")

    def test_list_finds_by_name_and_species(self):
        self.tree()
        self.tree(name="Mole pine", species_key="scots-pine")
        self.assertEqual([r.tree.name for r in self.list_trees("scots")], ["Mole pine"])
        self.assertEqual(len(self.list_trees()), 2)

    def test_opened_again_everything_is_there(self):
        self.tree()
        self.studio.close()
        self.studio = self.opened()
        self.assertEqual(len(self.list_trees()), 1)
