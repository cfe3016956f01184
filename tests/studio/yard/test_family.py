"""Families: cuttings of cuttings, and what cannot be its own forebear."""

from datetime import date

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.models import Tree
from mirvo.studio.yard.family import MOST_GENERATIONS, family_of, set_parent
from tests.studio_case import StudioCase


def names(member):
    return {member.row.tree.name: [names(child) for child in member.children]}


class FamilyTest(StudioCase):
    def prepare(self):
        for name in ("Mother", "First", "Second", "Grandchild", "Stranger"):
            self.tree(name=name, acquired_on=date(2024, 11, 23))
        for child, parent in ((2, 1), (3, 1), (4, 2)):
            set_parent(self.studio, child, parent)

    def family(self, tree_id):
        return self.read(family_of, tree_id, self.studio.today)

    def test_all_of_them_from_whichever_one_looks(self):
        wanted = {"Mother": [{"First": [{"Grandchild": []}]}, {"Second": []}]}
        for tree_id in (1, 2, 3, 4):
            self.assertEqual(names(self.family(tree_id).eldest), wanted)
        self.assertEqual(self.family(1).eldest.size, 4)
        self.assertEqual(names(self.family(5).eldest), {"Stranger": []})
        self.assertEqual(self.family(4).eldest.months, 24)

    def test_no_tree_comes_from_its_own_offspring(self):
        offered = [name for _, name in self.family(2).choices]
        self.assertEqual(sorted(offered), ["Mother", "Second", "Stranger"])
        for tree_id, parent in ((1, 4), (2, 2)):
            with self.assertRaises(BadInput):
                set_parent(self.studio, tree_id, parent)
        with self.assertRaises(NotFound):
            set_parent(self.studio, 1, 99)
        set_parent(self.studio, 4, None)
        self.assertEqual(names(self.family(4).eldest), {"Grandchild": []})

    def test_rows_that_go_round_in_a_ring_end_somewhere(self):
        with self.studio.writing() as db:
            db.get(Tree, 1).parent_id = 4
        for tree_id in (1, 2, 4):
            self.assertLessEqual(self.family(tree_id).eldest.size, 4)

    def test_a_long_line_is_shown_in_part(self):
        for number in range(6, 6 + 2 * MOST_GENERATIONS):
            self.tree(name=f"Line {number}")
            with self.studio.writing() as db:
                db.get(Tree, number).parent_id = number - 1
        self.assertEqual(self.family(5).eldest.size, MOST_GENERATIONS)
