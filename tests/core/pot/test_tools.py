"""Tools that lie ready, by species, kind of session and practice."""

import unittest

from mirvo.core.almanac import species_by_key
from mirvo.core.almanac.practice import practice_of, preset
from mirvo.core.pot.tools import tools_for


def tools(key="zelkova", origin="seed", trunk=40.0, cuts=True, practice=None, kind="routine"):
    answers = {**practice_of(preset("steady")), **(practice or {})}
    return tools_for(species_by_key(key), kind, origin, "young", trunk, cuts, answers)


class ToolsTest(unittest.TestCase):
    def test_no_concave_cutter_on_roots_as_fine_as_an_azaleas(self):
        self.assertIn("concave cutter", tools())
        self.assertNotIn("concave cutter", tools("satsuki-azalea"))

    def test_a_saw_for_what_was_dug_and_for_thick_trunks(self):
        self.assertNotIn("saw", tools())
        for saw in (tools(origin="dug from a garden"), tools(trunk=80.0)):
            self.assertIn("saw", saw)

    def test_what_the_practice_asks_for(self):
        tied = "wire cutter and pliers"
        self.assertIn(tied, tools(practice={"fixing": "tied"}))
        self.assertNotIn(tied, tools(practice={"fixing": "free"}))
        self.assertIn("tub or soft jet for washing", tools(practice={"clearing": "wash"}))
        self.assertNotIn("tub or soft jet for washing", tools(practice={"clearing": "core"}))

    def test_nothing_to_cut_nothing_to_cut_with(self):
        self.assertNotIn("concave cutter", tools(cuts=False))
        self.assertNotIn("root hook or rake", tools(kind="slip-pot"))

    def test_thorns_want_gloves(self):
        gloves = "firm gloves and eye protection"
        self.assertIn(gloves, tools("common-hawthorn"))
        self.assertNotIn(gloves, tools())
