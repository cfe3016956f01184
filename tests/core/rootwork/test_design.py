"""What a design makes of faults, advice, instructions and the target to begin with."""

import unittest
from dataclasses import replace

from mirvo.core.almanac import species as all_species
from mirvo.core.almanac import species_by_key
from mirvo.core.almanac.practice import practice_of, preset
from mirvo.core.measure.records import Fault
from mirvo.core.plan.default_target import default_target
from mirvo.core.rootwork.bench import situation_of, steps_for
from mirvo.core.rootwork.cut_adviser import advise
from mirvo.core.rootwork.design import DESIGNS, FLARE, LOOKED_FOR, faults_for
from mirvo.core.rootwork.kinds import KINDS
from tests.core.rootwork.test_bench import AGAINST_EACH_OTHER, said
from tests.core.rootwork.test_cut_adviser import PLENTY, TRUNK_MM, around, root

SHOWN = tuple(design for design in DESIGNS if design != FLARE)


class FaultsTest(unittest.TestCase):
    def test_what_spoils_a_flare_is_the_look_of_a_design_that_shows_roots(self):
        high, dead = Fault(code="above_plane"), Fault(code="dead")
        self.assertEqual(faults_for(FLARE, [high, dead]), (high, dead))
        for design in SHOWN:
            self.assertEqual(faults_for(design, [high, dead]), (dead,))
        # A record may name a design that is no longer offered.
        self.assertEqual(faults_for("raft", [high]), (high,))

    def test_a_loop_that_will_choke_its_neighbour_stays_a_fault(self):
        self.assertNotIn("looping_back", LOOKED_FOR)
        self.assertNotIn("no_feeders", LOOKED_FOR)


class AdviceTest(unittest.TestCase):
    def test_gaps_hold_nothing_back_where_no_flare_is_wanted(self):
        roots = [root("A", 0, "looping_back"), *around(120, 240)]
        limits = replace(PLENTY, target_gap_deg=90.0)
        [held, *_] = advise(roots, TRUNK_MM, limits).advice
        self.assertEqual(held.held_back[0].code, "graft_first")
        [goes, *_] = advise(roots, TRUNK_MM, replace(limits, flare=False)).advice
        self.assertEqual((goes.action, goes.held_back), ("remove", []))
        self.assertNotIn("opens_gap", [reason.code for reason in goes.reasons])


class InstructionsTest(unittest.TestCase):
    def sessions(self):
        by_group = {one.root_group: one for one in all_species()}
        for kind in KINDS:
            for one in by_group.values():
                for name in ("gentle", "steady", "bold"):
                    for design in DESIGNS:
                        for held in (False, True):
                            situation = situation_of(
                                kind.key,
                                one,
                                practice_of(preset(name)),
                                design=design,
                                held_bare=held,
                            )
                            yield f"{kind.key}, {one.key}, {design}", steps_for(situation)

    def test_no_design_says_one_thing_and_its_opposite(self):
        against = (
            *AGAINST_EACH_OTHER,
            ("Leave the roots on the rock", "Comb every root apart"),
            ("Leave the roots on the rock", "Wash the old soil out"),
            ("Comb only below", "Comb every root apart"),
            ("20 to 30 mm higher than it stood", "a little under the soil"),
            ("20 to 30 mm higher than it stood", "as high as it stood"),
            ("the rock as deep as it stood", "shows above the soil"),
            ("Its roots are bare", "Keep a core"),
        )
        seen = set()
        for name, steps in self.sessions():
            told = " ".join(said(steps))
            for one, other in against:
                self.assertFalse(one in told and other in told, f"{name}: {one} / {other}")
                seen.update(words for words in (one, other) if words in told)
        self.assertEqual({words for pair in against[-7:] for words in pair} - seen, set())

    def test_a_raise_speaks_before_the_design(self):
        practice = practice_of(preset("steady"))
        told = " ".join(
            said(
                steps_for(
                    situation_of(
                        "raise", species_by_key("zelkova"), practice, design="exposed roots"
                    )
                )
            )
        )
        self.assertIn("so that the flare comes out", told)
        self.assertNotIn("20 to 30 mm higher", told)


class TargetTest(unittest.TestCase):
    def test_a_design_that_shows_roots_aims_at_no_flare(self):
        self.assertLess(default_target(None).largest_gap_deg, 360)
        for design in SHOWN:
            found = default_target(None, design)
            self.assertEqual((found.spread_ratio, found.largest_gap_deg), (1.05, 360))
            self.assertIn(design, found.reasons[0])
