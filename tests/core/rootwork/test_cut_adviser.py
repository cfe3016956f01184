"""The cut adviser against root systems worked out by hand."""

import unittest
from dataclasses import replace
from math import cos, radians, sin

from pydantic import ValidationError

from mirvo.core.errors import BadInput
from mirvo.core.measure.records import Fault
from mirvo.core.rootwork.cut_adviser import advise, waiting_for_grafts
from mirvo.core.rootwork.cuts import CaseErrors, CutConstraints, CutDecision, RootCase
from mirvo.core.rootwork.root_path import along_mm, point_at_mm, straight_stretch_mm

TRUNK_MM = 50.0
PLENTY = CutConstraints(budget=0.85, target_gap_deg=360.0)


def at(azimuth, radius):
    return (radius * sin(radians(azimuth)), radius * cos(radians(azimuth)))


def root(label, azimuth, *codes, width=12.0, length=60.0, path=None, **more):
    """A root running straight outward, with faults by code or as whole entries."""
    faults = tuple(Fault(code=code) if isinstance(code, str) else code for code in codes)
    path = path or [at(azimuth, 25.0), at(azimuth, 25.0 + length / 2), at(azimuth, 25.0 + length)]
    return RootCase(label, float(azimuth), width, path, faults, **more)


def around(*azimuths, **more):
    """Faultless roots U, V, W … at azimuths."""
    return [
        root(letter, azimuth, **more) for letter, azimuth in zip("UVWXYZ", azimuths, strict=False)
    ]


def bent(azimuth, straight_mm, then_deg, rest_mm):
    """A path that runs outward and then turns off by some degrees."""
    start, bend = at(azimuth, 25.0), at(azimuth, 25.0 + straight_mm)
    dx, dy = at(azimuth + then_deg, rest_mm)
    return [start, bend, (bend[0] + dx, bend[1] + dy)]


def crowded(other, apart):
    return Fault(code="crowded", figure=apart, threshold=15.0, unit="deg", with_root=other)


def circling(figure):
    return Fault(code="circling", figure=figure, threshold=60.0, unit="deg")


def crossing(other, spot):
    return Fault(code="crossing", with_root=other, at_mm=spot)


OVERSIZED = Fault(code="oversized", figure=40.0, threshold=24.0, unit="mm")
SIX = (0, 60, 120, 180, 240, 300)


class AdviserCase(unittest.TestCase):
    def of(self, label, roots, limits=PLENTY, decided=None):
        review = advise(roots, TRUNK_MM, limits, decided)
        return next(one for one in review.advice if one.label == label)

    def assert_advised(self, advice, action, *reasons, held=None, wanted=None):
        self.assertEqual(advice.action, action)
        self.assertEqual([reason.code for reason in advice.reasons], list(reasons))
        self.assertEqual([reason.code for reason in advice.held_back], [held] if held else [])
        self.assertEqual(advice.wanted, wanted)


class FaultTest(AdviserCase):
    """Each fault alone, in a base with roots enough for everything else."""

    def alone(self, *codes, **more):
        return self.of("A", [root("A", 30, *codes, **more), *around(*SIX)])

    def test_a_faultless_root_is_kept(self):
        self.assert_advised(self.alone(), "keep")

    def test_a_dead_root_goes_and_costs_nothing(self):
        advice = self.alone("dead", condition="dead")
        self.assert_advised(advice, "remove", "dead")
        self.assertEqual(advice.share, 0.0)

    def test_a_root_without_fine_roots_goes_and_costs_nothing(self):
        advice = self.alone("no_feeders", feeders=0)
        self.assert_advised(advice, "remove", "no_feeders")
        self.assertEqual(advice.share, 0.0)

    def test_above_and_below_the_plane_go(self):
        self.assert_advised(self.alone("above_plane"), "remove", "above_plane")
        self.assert_advised(self.alone("below_plane"), "remove", "below_plane")

    def test_a_circling_root_without_a_straight_stretch_goes(self):
        path = [at(30, 25), at(60, 30), at(90, 32)]
        self.assert_advised(self.alone(circling(80.0), path=path), "remove", "circling")

    def test_a_root_that_circles_later_is_shortened_before_the_bend(self):
        advice = self.alone(circling(80.0), path=bent(30, 40, 90, 40))
        self.assert_advised(advice, "shorten", "circling", "straight_stretch")
        self.assertAlmostEqual(advice.keep_mm, 40.0)
        self.assertAlmostEqual(advice.part, 0.5)

    def test_a_straight_stretch_under_half_a_trunk_is_not_worth_keeping(self):
        self.assert_advised(
            self.alone("looping_back", path=bent(30, 24, 120, 60)), "remove", "looping_back"
        )

    def test_a_thin_looping_root_is_led_round(self):
        path = bent(30, 10, 120, 60)
        advice = self.alone("looping_back", path=path, width=5.0)
        self.assert_advised(advice, "bend", "looping_back", "thin")

    def test_a_kinked_root_is_cut_at_the_kink_or_watched(self):
        self.assert_advised(
            self.alone("kinked", path=bent(30, 30, 80, 30)), "shorten", "kinked", "straight_stretch"
        )
        self.assert_advised(self.alone("kinked", path=bent(30, 10, 80, 30)), "watch", "kinked")
        self.assert_advised(
            self.alone("kinked", path=bent(30, 10, 80, 30), width=4.0), "bend", "kinked", "thin"
        )

    def test_an_oversized_sound_root_is_cut_back_to_a_fork_and_never_flush(self):
        advice = self.alone(OVERSIZED, width=40.0)
        self.assert_advised(advice, "shorten", "oversized", "to_a_fork")
        self.assertEqual((advice.keep_mm, advice.part), (30.0, 0.5))
        # Half of 40 mm would be no stub: it is watched.
        self.assert_advised(self.alone(OVERSIZED, width=40.0, length=40.0), "watch", "oversized")
        weak = self.alone(OVERSIZED, width=40.0, condition="weak")
        self.assert_advised(weak, "remove", "oversized")
        # It carries 0.4 x 40/100 of the fine roots; half of that passes a limit of 0.05.
        roots = [root("A", 20, OVERSIZED, width=40.0), *around(80, 140, 200, 260, 320)]
        advice = self.of("A", roots, CutConstraints(budget=0.05, target_gap_deg=360.0))
        self.assert_advised(advice, "shorten", "oversized", "to_a_fork", "two_sessions")
        self.assertAlmostEqual(advice.part, 0.25)

    def test_the_gravest_of_several_faults_speaks_first(self):
        self.assert_advised(
            self.alone(OVERSIZED, "above_plane"), "remove", "above_plane", "oversized"
        )


class PairTest(AdviserCase):
    def test_the_worse_of_two_crossing_roots_goes(self):
        spot = at(20, 30)
        pair = [
            root(
                "A",
                20,
                crossing("B", spot),
                circling(70.0),
                path=[at(20, 25), at(50, 30), at(80, 34)],
            ),
            root("B", 40, crossing("A", spot)),
        ]
        roots = [*pair, *around(*SIX)]
        self.assert_advised(self.of("A", roots), "remove", "circling")
        self.assert_advised(self.of("B", roots), "keep")

    def test_equal_crossing_roots_the_thinner_goes_and_is_cut_short_of_the_crossing(self):
        spot = at(20, 65)
        roots = [
            root("A", 20, crossing("B", spot), width=10.0),
            root("B", 30, crossing("A", spot), width=14.0),
            *around(*SIX),
        ]
        advice = self.of("A", roots)
        self.assert_advised(advice, "shorten", "crossing", "straight_stretch")
        self.assertAlmostEqual(advice.keep_mm, 35.0)
        self.assert_advised(self.of("B", roots), "keep")

    def test_of_a_full_tie_one_goes_not_both(self):
        spot = at(20, 30)
        roots = [
            root("A", 20, crossing("B", spot)),
            root("B", 25, crossing("A", spot)),
            *around(*SIX),
        ]
        actions = {label: self.of(label, roots).action for label in "AB"}
        self.assertEqual(sorted(actions.values()), ["keep", "remove"])

    def test_a_fault_beside_a_root_that_goes_is_gone_too(self):
        spot = at(20, 30)
        pair = [root("A", 20, crossing("B", spot), width=10.0), root("B", 40, crossing("A", spot))]
        advice = self.of("A", [*pair, *around(*SIX)], decided={"B": CutDecision(action="remove")})
        self.assert_advised(advice, "keep")

    def test_a_crowded_root_goes(self):
        roots = [root("A", 5, crowded("U", 5.0)), *around(*SIX)]
        self.assert_advised(self.of("A", roots), "remove", "crowded")

    def test_neighbours_are_let_fuse_where_that_is_the_practice(self):
        roots = [root("A", 5, crowded("U", 5.0)), *around(*SIX)]
        fusing = CutConstraints(budget=0.85, target_gap_deg=360.0, fuses=True)
        self.assert_advised(self.of("A", roots, fusing), "watch", "crowded", "fuses")

    def test_a_fault_within_its_measuring_error_is_watched(self):
        near = root("A", 14, crowded("U", 14.0), plus_minus=CaseErrors(azimuth=1.0))
        roots = [near, *around(*SIX, plus_minus=CaseErrors(azimuth=1.0))]
        advice = self.of("A", roots)
        self.assert_advised(advice, "watch", "crowded", "within_error")
        self.assertAlmostEqual(advice.reasons[1].figures["plus_minus"], 1.4)
        sure = root("A", 12, crowded("U", 12.0), plus_minus=CaseErrors(azimuth=1.0))
        self.assert_advised(self.of("A", [sure, *around(*SIX)]), "remove", "crowded")


class HoldBackTest(AdviserCase):
    """Eight equal roots share 0.4: each one holds 0.05."""

    def eight(self, *first):
        return [*first, *around(*SIX[: 8 - len(first)])]

    def test_the_budget_is_spent_in_the_order_of_the_faults(self):
        roots = self.eight(root("A", 20, "below_plane"), root("B", 80, "above_plane"))
        limits = CutConstraints(budget=0.06, target_gap_deg=360.0)
        self.assert_advised(self.of("B", roots, limits), "remove", "above_plane")
        advice = self.of("A", roots, limits)
        self.assert_advised(advice, "keep", "below_plane", held="budget", wanted="remove")
        self.assertIn("10%", advice.held_back[0].sentence)

    def test_a_share_beyond_the_budget_is_taken_in_two_sessions(self):
        roots = self.eight(root("A", 20, "above_plane"))
        advice = self.of(
            "A", [*roots, root("T", 330)], CutConstraints(budget=0.03, target_gap_deg=360.0)
        )
        self.assert_advised(advice, "halve", "above_plane", "two_sessions")

    def test_the_slice_counts_against_the_same_budget(self):
        roots = self.eight(root("A", 20, "above_plane"))
        # with a slice of half the ball 0.6 x 0.5 + 0.05 goes, and the edge through both
        fits = CutConstraints(budget=0.42, target_gap_deg=360.0, sliced=0.5, edge=0.1)
        self.assert_advised(self.of("A", [*roots, root("T", 330)], fits), "remove", "above_plane")
        spent = CutConstraints(budget=0.41, target_gap_deg=360.0, sliced=0.5, edge=0.1)
        self.assert_advised(
            self.of("A", [*roots, root("T", 330)], spent),
            "keep", "above_plane", held="budget", wanted="remove",
        )  # fmt: skip

    def test_after_a_root_that_goes_in_parts_the_others_wait(self):
        roots = self.eight(root("A", 20, "above_plane", width=60.0), root("B", 80, "crowded"))
        limits = CutConstraints(budget=0.12, target_gap_deg=360.0)
        self.assertEqual(self.of("A", roots, limits).action, "halve")
        self.assertEqual(self.of("B", roots, limits).held_back[0].code, "answer_first")

    def test_a_root_put_off_twice_goes_first(self):
        roots = self.eight(root("A", 20, "above_plane"), root("B", 80, "crowded"))
        one = CutConstraints(budget=0.06, target_gap_deg=360.0)
        self.assertEqual(self.of("B", roots, one).held_back[0].code, "budget")
        again = CutConstraints(budget=0.06, target_gap_deg=360.0, put_off={"B": 2})
        self.assert_advised(self.of("B", roots, again), "remove", "crowded")
        self.assertEqual(self.of("A", roots, again).held_back[0].code, "budget")

    def test_the_advice_takes_what_the_path_takes_in_its_next_session(self):
        roots = self.eight(root("A", 20, "above_plane"), root("B", 80, "crowded"))
        path = CutConstraints(budget=0.85, target_gap_deg=360.0, planned={"A": 0.0, "B": 1.0})
        self.assertEqual(self.of("A", roots, path).held_back[0].code, "path")
        self.assert_advised(self.of("B", roots, path), "remove", "crowded")
        # what was found since the plan was made goes all the same
        dead = self.eight(root("A", 20, "dead", condition="dead"))
        self.assert_advised(self.of("A", dead, path), "remove", "dead")

    def test_most_roots_off_the_plane_ask_for_the_plane_first(self):
        roots = [root(label, 60 * i, "above_plane") for i, label in enumerate("ABCD")]
        roots += [root("E", 240), root("F", 300)]
        review = advise(roots, TRUNK_MM, PLENTY)
        self.assertEqual([ask.code for ask in review.asks], ["plane"])
        self.assertEqual(review.of("A").action, "watch")
        self.assertEqual(advise(roots[:2] + roots[4:], TRUNK_MM, PLENTY).asks, [])

    def test_with_no_budget_only_what_is_dead_goes(self):
        roots = self.eight(root("A", 20, "above_plane"), root("B", 80, "dead", condition="dead"))
        nothing = CutConstraints(budget=0.0, target_gap_deg=360.0)
        self.assert_advised(self.of("B", roots, nothing), "remove", "dead")
        advice = self.of("A", roots, nothing)
        self.assert_advised(advice, "keep", "above_plane", held="budget", wanted="remove")
        self.assertIn("nothing living", advice.held_back[0].sentence)

    def test_the_only_feeder_of_a_stem_stays(self):
        roots = self.eight(root("A", 20, "above_plane", feeds=("left stem",)))
        advice = self.of("A", roots)
        self.assert_advised(advice, "keep", "above_plane", held="only_feeder", wanted="remove")
        self.assertIn("left stem", advice.held_back[0].sentence)

    def test_of_two_feeders_of_a_stem_one_may_go(self):
        pair = [
            root(label, az, "above_plane", feeds=("apex",)) for label, az in (("A", 20), ("B", 80))
        ]
        roots = self.eight(*pair)
        self.assert_advised(self.of("A", roots), "remove", "above_plane")
        self.assert_advised(
            self.of("B", roots), "keep", "above_plane", held="only_feeder", wanted="remove"
        )

    def test_a_dead_root_feeds_nothing_and_guards_nothing(self):
        dead = root("B", 80, "dead", condition="dead", feeds=("apex",))
        roots = self.eight(root("A", 20, "above_plane", feeds=("apex",)), dead)
        self.assert_advised(self.of("B", roots), "remove", "dead")
        self.assertEqual(self.of("A", roots).held_back[0].code, "only_feeder")

    def test_a_gap_holds_back_only_a_sound_root_on_the_plane_with_a_lesser_fault(self):
        limits = CutConstraints(budget=0.85, target_gap_deg=90.0)
        around_it = around(0, 120, 180, 240, 300)
        off = self.of("A", [root("A", 60, "above_plane"), *around_it], limits)
        self.assert_advised(off, "remove", "above_plane", "opens_gap")
        self.assertIn("ground layer", off.reasons[-1].sentence)
        near = crowded("U", 10.0)
        weak = self.of("A", [root("A", 60, near, condition="weak"), *around_it], limits)
        self.assertEqual(weak.action, "remove")
        advice = self.of("A", [root("A", 60, near), *around_it], limits)
        self.assert_advised(advice, "keep", "crowded", held="opens_gap", wanted="remove")
        self.assertEqual(advice.held_back[0].figures, {"gap_deg": 120.0, "target_deg": 90.0})

    def test_a_root_whose_loss_opens_a_third_of_the_circle_waits_for_its_graft(self):
        limits = CutConstraints(budget=0.85, target_gap_deg=90.0)
        roots = [root("A", 60, "above_plane"), *around(0, 130, 190, 250, 310)]
        advice = self.of("A", roots, limits)
        self.assert_advised(advice, "keep", "above_plane", held="graft_first", wanted="remove")
        self.assertIn("130° would stand open", advice.held_back[0].sentence)
        self.assertEqual(set(waiting_for_grafts(roots, TRUNK_MM, limits)), {"A"})
        # With the graft set it goes at once.
        grafted = replace(limits, grafts_deg=(65.0,))
        self.assert_advised(self.of("A", roots, grafted), "remove", "above_plane")
        # A dead root feeds nothing and leaves nothing open that it closed.
        dead = [root("A", 60, "dead", condition="dead"), *roots[1:]]
        self.assert_advised(self.of("A", dead, limits), "remove", "dead")

    def test_a_circling_only_feeder_is_shortened_where_that_frees_the_trunk(self):
        # Along the trunk from 30 to 130 degrees: cut to 90 it lies within 60 of its base.
        path = [at(30 + step, 25 + step / 10) for step in range(0, 101, 10)]
        feeds = ("left stem",)
        advice = self.of("A", self.eight(root("A", 30, circling(100.0), path=path, feeds=feeds)))
        self.assert_advised(advice, "shorten", "circling", "frees_the_trunk")
        self.assertTrue(0.4 <= advice.part < 0.5, advice.part)
        # Twice round, less than half of it frees nothing: it stays.
        path = [at(30 + step, 25 + step / 10) for step in range(0, 171, 10)]
        advice = self.of("A", self.eight(root("A", 30, circling(170.0), path=path, feeds=feeds)))
        self.assert_advised(advice, "keep", "circling", held="only_feeder", wanted="remove")
        # With another feeder of the stem it goes.
        roots = self.eight(root("A", 30, circling(170.0), path=path, feeds=feeds))
        roots.append(root("Q", 45, feeds=feeds))
        self.assert_advised(self.of("A", roots), "remove", "circling")

    def test_a_gap_open_already_holds_nothing_back(self):
        roots = [root("A", 20, "above_plane"), *around(0, 40, 80)]
        self.assert_advised(
            self.of("A", roots, CutConstraints(0.85, 90.0)), "remove", "above_plane"
        )

    def test_a_pair_that_waits_on_each_other(self):
        roots = self.eight(root("A", 20, "above_plane"), root("B", 80))
        waiting = CutConstraints(budget=0.85, target_gap_deg=360.0, waits_on={"A": "B"})
        self.assert_advised(
            self.of("A", roots, waiting), "keep", "above_plane", held="waits", wanted="remove"
        )
        freed = self.of("A", roots, waiting, {"B": CutDecision(action="keep")})
        self.assert_advised(freed, "remove", "above_plane")


class DecisionTest(AdviserCase):
    def test_the_artists_decision_stands_and_is_reckoned_first(self):
        roots = [root("A", 30, "above_plane"), root("B", 90), *around(*SIX)]
        limits = CutConstraints(budget=0.06, target_gap_deg=360.0)
        review = advise(roots, TRUNK_MM, limits, {"B": CutDecision(action="remove")})
        self.assertAlmostEqual(review.share_decided, 0.05)
        by_label = {one.label: one for one in review.advice}
        self.assertEqual(by_label["A"].held_back[0].code, "budget")
        self.assertAlmostEqual(review.share_advised, 0.05)

    def test_shortening_costs_its_part_and_weighing_corrects(self):
        roots = [root("A", 30), *around(*SIX), root("T", 330)]
        corrected = CutConstraints(budget=0.85, correction=1.5)
        review = advise(roots, TRUNK_MM, corrected, {"A": CutDecision(action="shorten", part=0.4)})
        self.assertAlmostEqual(review.share_decided, 0.4 / 8 * 1.5 * 0.4)

    def test_unknown_roots_and_actions_are_refused(self):
        with self.assertRaises(BadInput):
            advise([root("A", 0)], TRUNK_MM, PLENTY, {"Q": CutDecision(action="remove")})
        with self.assertRaises(ValidationError):
            CutDecision(action="burn")


class PathTest(unittest.TestCase):
    def test_places_along_a_path(self):
        path = [(0.0, 25.0), (0.0, 45.0), (20.0, 45.0)]
        self.assertAlmostEqual(straight_stretch_mm(path), 20.0)
        self.assertAlmostEqual(along_mm(path, (10.0, 47.0)), 30.0)
        self.assertEqual(point_at_mm(path, 30.0), (10.0, 45.0))
        self.assertEqual(point_at_mm(path, 400.0), (20.0, 45.0))
