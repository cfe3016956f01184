"""The order of work at the bench: steps, cautions and fields by kind and by practice."""

import unittest

from mirvo.core.almanac import species as all_species
from mirvo.core.almanac import species_by_key
from mirvo.core.almanac.practice import check, clears_by, practice_of, preset, questions
from mirvo.core.care import Surroundings, Worked, aftercare
from mirvo.core.errors import BadInput
from mirvo.core.measure.drafts import read_draft
from mirvo.core.rootwork import KINDS
from mirvo.core.rootwork.after import after_cuts, with_findings
from mirvo.core.rootwork.bench import (
    FINDINGS,
    bares_roots,
    fields_for,
    situation_of,
    steps_for,
)
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.core.season.growth import Growth
from tests.core.care.test_aftercare import SUMMER


def steps(kind="routine", practice=None, species="zelkova", **more):
    held = practice_of(preset("steady"), practice)
    return steps_for(situation_of(kind, species_by_key(species), held, **more))


def said(found):
    return [line for step in found for line in (*step.lines, *step.cautions)]


class StepsTest(unittest.TestCase):
    def test_a_routine_session_has_the_order_of_the_craft(self):
        order = [step.key for step in steps()]
        wanted = "prepare lift clear inspect decide cut rinse fit fix fill water top place"
        self.assertEqual(order, wanted.split())

    def test_a_graft_is_a_step_where_it_is_planned_or_set(self):
        def has(**more):
            return "graft" in [step.key for step in steps(**more)]

        self.assertFalse(has())
        self.assertTrue(has(grafts_planned=True))
        self.assertTrue(has(answers={"graft_today": True}))
        self.assertTrue(has(answers={"graft_hours": "3:30"}))
        order = [step.key for step in steps(grafts_planned=True)]
        self.assertEqual(order[order.index("cut") :][:4], ["cut", "graft", "rinse", "fit"])

    def test_a_layer_is_potted_only_once_it_is_separated(self):
        def order(**answers):
            return [step.key for step in steps("layer", answers=answers)]

        self.assertEqual(order(), ["prepare", "layer", "place"])
        self.assertEqual(order(layer_stage="looked at"), ["prepare", "layer", "place"])
        potted = ["prepare", "layer", "fit", "fill", "water", "place"]
        self.assertEqual(order(layer_stage="separated"), potted)
        for where in ("in the air", "trunk laid over", "top of a trunk to be cut back"):
            layer = steps("layer", answers={"layer_where": where})[1]
            self.assertNotIn("Ring the bark at the better height", " ".join(layer.lines))

    def test_every_kind_has_steps_and_ends_with_placing(self):
        for kind in KINDS:
            with self.subTest(kind=kind.key):
                self.assertEqual(steps(kind.key)[-1].key, "place")
        with self.assertRaises(BadInput):
            steps("haircut")

    def test_offcuts_are_kept_where_the_species_strikes_from_them(self):
        for species, keeps in (("chinese-elm", True), ("scots-pine", False)):
            told = " ".join(said(steps("routine", species=species)))
            self.assertEqual("strikes from root cuttings" in told, keeps)

    def test_each_caution_is_said_once_where_it_first_matters(self):
        cautions = [one for step in steps("emergency", species="privet") for one in step.cautions]
        self.assertEqual(len(cautions), len(set(cautions)))
        [poison] = [one for one in cautions if "poisonous" in one]
        self.assertIn("privet", poison.lower())

    def test_a_heavy_ball_and_a_trench_are_reckoned(self):
        heavy = said(steps(ball_litres=18.0))
        self.assertTrue(any(line.startswith("About 25 kg") for line in heavy))
        self.assertFalse(any(line.startswith("About") for line in said(steps(ball_litres=5.0))))
        trench = said(steps("collection", trunk_mm=80.0))
        self.assertTrue(any("400 to 480 mm" in line for line in trench))

    def test_a_tall_tree_is_staked_or_guyed_by_its_height(self):
        for height, word in (
            (200.0, "by itself"),
            (300.0, "held at 200 mm"),
            (600.0, "three points"),
        ):
            lines = said(steps("exposed-root", height_mm=height))
            self.assertEqual(sum(word in line for line in lines), 1)
        self.assertFalse(any("high" in line for line in said(steps("exposed-root"))[:3]))

    def test_a_newcomer_is_left_or_repotted_as_the_practice_says(self):
        settle = said(steps(practice={"newcomer": "settle"}, new=True))
        at_once = said(steps(practice={"newcomer": "at_once"}, new=True))
        self.assertTrue(any("settle" in line for line in settle))
        self.assertTrue(any("own mix today" in line for line in at_once))
        self.assertFalse(any("came to you" in line for line in said(steps(new=False))))

    def test_fields_of_their_own_kind_only(self):
        self.assertIn("permission", fields_for("collection"))
        self.assertIn("raised_mm", fields_for("raise"))
        self.assertNotIn("raised_mm", fields_for("routine"))
        self.assertIn("dark_ring", fields_for("emergency"))
        self.assertIn("layer_stage", fields_for("exposed-root"))
        self.assertTrue(bares_roots("routine"))
        self.assertFalse(bares_roots("slip-pot"))

    def test_fields_take_what_they_are_for(self):
        fields = fields_for("routine")
        self.assertEqual(fields["slice_mm"].check("12,5"), 12.5)
        self.assertEqual(fields["flare_height_mm"].check(-8), -8.0)
        self.assertEqual(fields["old_soil"].check([9, 7, 7]), [7, 9])
        self.assertEqual(fields["graft_hours"].check("10:05, 3:30; 3:30"), "3:30, 10:05")
        # As former versions kept them.
        self.assertEqual(fields["graft_hours"].check([4]), "4:00")
        for bad in ("3:31", "13:00", "0:30", "noon", "3:30 4:15", True, {}):
            with self.subTest(clock=bad), self.assertRaises(BadInput):
                fields["graft_hours"].check(bad)
        self.assertIsNone(fields["slice_mm"].check(""))
        wrong = {"matted": "yes", "bud_stage": "asleep", "old_soil": [13], "found": "x" * 5000}
        for key, bad in [
            ("slice_mm", -3),
            ("slice_mm", "thick"),
            ("slice_mm", "nan"),
            *wrong.items(),
        ]:
            with self.subTest(key=key), self.assertRaises(BadInput) as refused:
                fields[key].check(bad)
            self.assertEqual(refused.exception.field, key)


# What may be found or set at the bench: nothing, each thing alone, all of it together.
YES = {"layer_where": "trunk laid over"}
FOUND = (
    {},
    {"root_colour": "brown-black, soft"},
    {"layer_stage": "separated", "layer_where": "in the air"},
    *({key: YES.get(key, True)} for key in FINDINGS),
    {key: YES.get(key, True) for key in FINDINGS},
)
# Of each pair only one may be said in one session.
AGAINST_EACH_OTHER = (
    ("Comb every root apart", "Do not comb"),
    ("Comb every root apart", "Keep a core"),
    ("Comb every root apart", "comb nothing"),
    ("Do not comb", "Comb the roots apart"),
    ("Wash the old soil out", "Keep a core"),
    ("Wash the old soil out", "Leave the soil it grew in"),
    ("Wash the old soil out", "Clear only the side"),
    ("Keep a core", "keep no core"),
    ("5 to 25 mm of rim", "at least 25 mm of rim"),
    ("Set the flare a little under", "so that the flare comes out"),
    ("Set the flare a little under", "bury nothing"),
    ("Set the flare a little under", "the roots above it may show"),
    ("Set the flare so that it shows", "set deep at first"),
    ("Cut past a bend", "Remove only what is dead"),
    ("Cut past a bend", "every other root stays"),
    ("in one level slice", "every other root stays"),
    ("Cut the old ties", "by the ball, never by the trunk"),
    ("take only what is dead", "Bring the crown down"),
    ("Reduce the crown", "the crown waits"),
    ("Reduce the crown", "After a rescue hardly anything"),
    ("Crown first, then roots", "the crown waits"),
    ("Crown first, then roots", "After a rescue hardly anything"),
    ("Back to its place", "out of wind"),
    ("Turn the front to you", "Give the separated layer"),
    ("wash all of it out", "Keep a core"),
    ("wash all of it out", "outside the core"),
    ("wash all of it out", "Do not comb"),
    ("clear it from one half", "Keep a core"),
    ("without combing", "Comb the roots apart"),
    ("again later", "let the surface dry"),
    ("Rake the mat open", "Take the bottom off"),
    ("Rake the mat open", "Pick thick downward roots"),
    ("Rinse off sawdust", "the core stays together"),
    ("Ring the bark at the better height", "Lay the trunk flat"),
    ("no larger than its living roots", "Stay wide"),
    ("leave it unless it cannot wait", "Landowner"),
)


class OneInstructionTest(unittest.TestCase):
    """What a session says on one topic it says once, by the highest source that speaks of it."""

    def sessions(self):
        """Every kind x group x preset and each answer differing from it x newcomer or not."""
        by_group = {one.root_group: one for one in all_species()}
        held = [preset(name) for name in ("gentle", "steady", "bold")]
        for key, question in questions().items():
            held += [{**preset("steady"), key: answer} for answer in question.answers]
        for kind in KINDS:
            for one in by_group.values():
                for number, answers in enumerate(held):
                    # Every finding with each preset; with single answers none or all of them.
                    for found in FOUND if number < 3 else (FOUND[0], FOUND[-1]):
                        practice = practice_of(answers)
                        yield (
                            f"{kind.key}, {one.key}, {answers}, {found}",
                            steps_for(
                                situation_of(
                                    kind.key, one, practice, new="rot" in found, answers=found
                                )
                            ),
                        )

    def test_no_two_lines_say_opposite_things(self):
        seen = set()
        for name, found in self.sessions():
            told = " ".join(line for step in found for line in step.lines)
            for one, other in AGAINST_EACH_OTHER:
                self.assertFalse(one in told and other in told, f"{name}: {one} / {other}")
                seen.update(words for words in (one, other) if words in told)
        # Each of them is said somewhere, or the pair proves nothing.
        named = {words for pair in AGAINST_EACH_OTHER for words in pair} - {"Landowner"}
        self.assertEqual(named - seen, set())

    def test_what_is_found_speaks_before_the_group_and_after_the_kind(self):
        found = {"foreign_soil": True, "matted": True}
        for kind, key, wanted in (
            ("routine", "scots-pine", "Foreign or decayed soil: clear it from one half"),
            ("routine", "kurume-azalea", "Foreign or decayed soil: rinse it out"),
            ("routine", "zelkova", "Foreign or decayed soil: wash all of it out"),
            ("collection", "zelkova", "Leave the soil it grew in"),
        ):
            lines = said(steps(kind, {"clearing": "core"}, key, answers=found))
            self.assertTrue(any(line.startswith(wanted) for line in lines), (kind, key))
            self.assertFalse(any("Keep a core" in line for line in lines))

    def test_the_kind_speaks_before_the_group_and_the_group_before_the_practice(self):
        combed = {"clearing": "wash", "fusing": "comb"}
        for kind, key, wanted in (
            ("routine", "zelkova", "Comb every root apart."),
            ("routine", "kurume-azalea", "Do not comb hair-fine root: saw the ball to a block."),
            ("routine", "scots-pine", "Comb the roots apart outside the core, and only there."),
            ("graft", "kurume-azalea", "Clear only the side that is grafted"),
        ):
            [clear] = [one for one in steps(kind, combed, key) if one.key == "clear"]
            self.assertTrue(any(line.startswith(wanted) for line in clear.lines), clear.lines)

    def test_a_session_that_fixes_nothing_threads_no_wires(self):
        for kind, threads in (("routine", True), ("edge-cut", False), ("layer", False)):
            told = " ".join(said(steps(kind, {"fixing": "tied"})))
            self.assertEqual("Thread the tie wires" in told, threads, kind)


class PracticeTest(unittest.TestCase):
    def outcome(self, answers):
        """Everything a practice may change in the core, for two trees and every kind."""
        held = practice_of(answers)
        found = []
        for key in ("zelkova", "japanese-larch"):
            species = species_by_key(key)
            found += [clears_by(held, species, "young"), species.budget.of(held["budget"])]
            for kind in KINDS:
                for new in (False, True):
                    found += said(steps_for(situation_of(kind.key, species, held, new=new)))
        around = Surroundings(Growth(False, SUMMER, SUMMER))
        tasks = aftercare(Worked(SUMMER, "routine", "strong"), held, around)
        found += [(task.code, task.due) for task in tasks]
        return found

    def test_every_answer_of_every_question_changes_something(self):
        # the dormant question changes the season, see test_visits
        for key, question in questions().items():
            if key == "dormant":
                continue
            outcomes = [
                self.outcome({**preset("steady"), key: answer}) for answer in question.answers
            ]
            for i, one in enumerate(outcomes):
                with self.subTest(question=key, answer=list(question.answers)[i]):
                    others = outcomes[:i] + outcomes[i + 1 :]
                    self.assertTrue(any(one != other for other in others))

    def test_presets_answer_everything_and_trees_differ_from_the_studio(self):
        for name in ("gentle", "steady", "bold"):
            self.assertEqual(set(preset(name)), set(questions()))
            self.assertEqual(check(preset(name)), preset(name))
        held = practice_of(preset("gentle"), {"wounds": "open"})
        self.assertEqual((held["wounds"], held["budget"]), ("open", "gentle"))
        for bad in ({"colour": "red"}, {"wounds": "painted"}):
            with self.assertRaises(BadInput):
                check(bad)

    def test_a_species_that_must_not_be_washed_keeps_its_core(self):
        washing = practice_of({**preset("steady"), "clearing": "wash"})
        self.assertEqual(clears_by(washing, species_by_key("japanese-larch"), "young"), "core")
        self.assertEqual(clears_by(washing, species_by_key("zelkova"), "old"), "wash")
        by_group = practice_of(preset("steady"))
        self.assertEqual(clears_by(by_group, species_by_key("zelkova"), "old"), "core")


BENT = [[0.0, 0.0], [30.0, 0.0], [30.0, 40.0]]
MARKS = read_draft(
    {
        "roots": [
            {"label": "A", "path": BENT, "end_width": [[1, 2], [3, 4]]},
            {"label": "B", "path": [[0.0, 0.0], [9.0, 9.0]]},
        ]
    },
    "top",
)


class AfterCutsTest(unittest.TestCase):
    def test_removed_roots_are_gone_and_shortened_ones_end_at_the_cut(self):
        left = after_cuts(MARKS, {"A": 0.5, "B": 1.0}).roots
        self.assertEqual([root.label for root in left], ["A"])
        self.assertEqual(left[0].path, ((0.0, 0.0), (30.0, 0.0), (30.0, 5.0)))
        self.assertIsNone(left[0].end_width)
        self.assertEqual(after_cuts(MARKS, {"A": 0.0}), MARKS)

    def test_findings_of_the_bench_stand_before_the_marks(self):
        dead = RootFinding(feeders=0, condition="dead")
        found = with_findings(MARKS, {"A": dead}).roots
        self.assertEqual((found[0].feeders, found[0].condition), (0, "dead"))
        self.assertIsNone(found[1].feeders)
        self.assertIsNone(MARKS.roots[0].feeders)
