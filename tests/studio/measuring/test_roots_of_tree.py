"""Letters carried everywhere: cuts, findings, regrowth, gap methods and what is being entered."""

from sqlalchemy import select

from mirvo.core.limits.targets import TargetFields
from mirvo.records.models import Root
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.session import begin
from mirvo.studio.measuring.roots_of_tree import letters_at_hand, rename_letters
from mirvo.studio.path.target import (
    choose_gap_methods,
    gap_methods_of,
    regrowth_of,
    set_regrowth,
    set_target,
)
from mirvo.studio.standing.tree_queries import findings_of
from tests.studio.bench_session.bench_case import BenchCase


class LettersTest(BenchCase):
    def setUp(self):
        super().setUp()
        self.enter(bud_stage="buds swelling", ball_depth_before=80)
        self.enter_field("seen:A", {"feeders": 3})
        self.enter_field("root:A", {"action": "shorten", "part": 0.3, "why": "too long"})
        self.enter_field("root:B", {"action": "remove"})
        self.session = close_session(self.studio, self.bench.id)
        set_target(self.studio, 1, TargetFields(spread_ratio=2, pot_depth_mm=60))
        set_regrowth(self.studio, 1, {"A": 3})
        choose_gap_methods(self.studio, 1, {("A", "C"): "fork"})
        self.bench = begin(self.studio, 1, "routine")
        self.enter_field("root:A", {"action": "keep"})
        self.enter_field("waits:C", "A")

    def rename(self, letters):
        with self.studio.writing() as db:
            rename_letters(db, 1, 1, letters)

    def test_a_new_letter_goes_wherever_the_root_is_named(self):
        self.rename({"A": "Q"})
        self.assertEqual(set(self.cuts_of(self.session)), {"Q", "B"})
        self.assertEqual(self.cuts_of(self.session)["Q"].why, "too long")
        self.assertEqual(list(self.read(findings_of, self.session.id)), ["Q"])
        self.assertEqual(self.read(regrowth_of, 1), {"Q": 3})
        self.assertEqual(self.read(gap_methods_of, 1), {("Q", "C"): "fork"})
        state = self.state()
        self.assertEqual((list(state.decisions), state.waits_on), (["Q"], {"C": "Q"}))

    def test_two_roots_can_change_their_letters(self):
        self.rename({"A": "B", "B": "A"})
        cuts = self.cuts_of(self.session)
        self.assertEqual((cuts["B"].done_action, cuts["A"].done_action), ("shorten", "remove"))
        self.assertEqual(self.read(regrowth_of, 1), {"B": 3})

    def test_a_root_cut_is_gone_from_that_day_and_keeps_its_letter(self):
        with self.studio.reading() as db:
            gone = db.scalar(select(Root.gone_on).where(Root.tree_id == 1, Root.label == "B"))
            there = db.scalar(select(Root.gone_on).where(Root.tree_id == 1, Root.label == "A"))
        self.assertEqual((gone, there), (self.session.done_on, None))

    def test_letters_at_hand_leave_out_those_of_the_other_photos(self):
        self.assertEqual(letters_at_hand(["A", "C"])[:3], ["B", "D", "E"])
