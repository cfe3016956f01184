"""What is kept in memory: never another thing than the records say."""

import threading
from contextlib import suppress
from datetime import date, timedelta

from sqlalchemy import event, update
from sqlalchemy.orm import object_session

from mirvo.core.almanac.practice import questions
from mirvo.core.errors import NotFound
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.measuring import HandFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.records.database import reading
from mirvo.records.models import Tree
from mirvo.studio.bench_session.session import begin, running_session
from mirvo.studio.ground.settings import put_yard, yard_of
from mirvo.studio.ground.state_cache import MAX_TREES, StudioState
from mirvo.studio.measuring.by_hand import add_by_hand, by_hand
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import (
    gap_methods_of,
    hold_year,
    holds_of,
    regrowth_of,
    release_year,
    set_target,
)
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.records.answers import DeathFields, put_answer, say_died
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.practice import save_tree_practice, take_preset
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import (
    all_measurements_of,
    cuts_of,
    load_tree,
    plan_with_case,
    sessions_of,
    target_of,
)
from mirvo.studio.standing.weather import put_night
from mirvo.studio.yard.bench import bench, move_tree
from mirvo.studio.yard.compost import lay_on_heap, put_back
from mirvo.studio.yard.trees import say_strength, see_buds
from tests.studio_case import TODAY, StudioCase


def columns_of(row):
    return {name: value for name, value in vars(row).items() if not name.startswith("_sa")}


def said(row):
    """All a list says of a tree."""
    tree, stands = row.tree, row.stands
    return {
        "tree": columns_of(tree),
        "verdict": row.verdict,
        "standing": row.standing,
        "measured": row.measured,
        "target": row.target and columns_of(row.target),
        "sessions": [(one.id, one.share_computed) for one in stands.sessions],
        "answers": stands.answers,
        "plan": stands.plan and (stands.plan.id, stands.plan.made_at),
        "stamp": row.stamp,
        "last": row.last_session,
    }


RECORDS = (
    *(load_tree, sessions_of, cuts_of, target_of, plan_with_case, all_measurements_of, by_hand),
    *(holds_of, gap_methods_of, regrowth_of, photos_of, running_session),
)


def told(found):
    """All that records say, whether they are rows, plain, or something made of them."""
    if isinstance(found, (tuple, list)):
        return [told(one) for one in found]
    if isinstance(found, dict):
        return {key: told(one) for key, one in found.items()}
    if type(found).__module__.startswith("mirvo.core") or not hasattr(found, "__dict__"):
        return found
    said = {name: told(one) for name, one in vars(found).items() if not name.startswith("_sa_")}
    # Of settings no one has saved yet, what nobody gave is not there, or is None.
    return {name: one for name, one in said.items() if one is not None}


class StateCacheTest(StudioCase):
    def prepare(self):
        for name in ("Ferry zelkova", "Mole larch"):
            photo, marks = self.photo(self.tree(name=name, acquired_on=date(2015, 3, 1)))
            save_marks(self.studio, photo.id, marks, 0)

    def agree(self, what):
        """What is listed from what was kept, and worked out with nothing kept."""
        listed, year = [said(row) for row in self.list_trees()], self.year()
        kept, self.studio.state = self.studio.state, StudioState()
        fresh, anew = [said(row) for row in self.list_trees()], self.year()
        self.studio.state = kept
        self.assertEqual(listed, fresh, what)
        self.assertEqual(year, anew, what)
        with self.studio.reading() as db:
            known = self.records(db)
        with reading(self.studio.engine) as db:
            self.assertEqual(known, self.records(db), what)

    def records(self, db):
        """What is kept of both trees and the yard, as a session reads it."""
        found = [told(yard_of(db))]
        for tree_id in (1, 2):
            with suppress(NotFound):
                found += [told(query(db, tree_id)) for query in RECORDS]
        return found

    def year(self):
        """What the Bench makes of all rows together."""
        found = self.read(bench, self.studio.today)
        return {
            "lanes": [(lane.row.tree.name, lane.week) for lane in found.lanes],
            "weeks": [(week.monday, [row.tree.id for row in week.trees], week.room)
                      for week in found.weeks],
            "answering": [(one.session.id, one.answer, one.experience) for one in found.answering],
        }  # fmt: skip

    def changes(self):
        """All that a list rests on, changed one after the other."""
        studio, day = self.studio, self.studio.today
        yield "buds", lambda: see_buds(studio, 1, "buds swelling")
        yield "strength", lambda: say_strength(studio, 1, "weak")
        yield "strong", lambda: say_strength(studio, 1, "strong")
        wish = {"spread_ratio": 2.4, "largest_gap_deg": 100, "pot_depth_mm": 60}
        yield "target", lambda: set_target(studio, 1, TargetFields.model_validate(wish))
        worked = {
            "done_on": day - timedelta(days=900), "ball_depth_before": 90, "slice_mm": 20,
            "bud_stage": "buds swelling",
        }  # fmt: skip
        yield "session", lambda: record_session(studio, 1, SessionFields.model_validate(worked))
        yield "plan", lambda: plan_path(studio, 1)
        yield "hold", lambda: hold_year(studio, 1, day.year + 2, "away")
        yield "hold gone", lambda: release_year(studio, 1, day.year + 2)
        taken = HandFields.model_validate({"measured_on": day, "trunk_mm": "80"})
        yield "by hand", lambda: add_by_hand(studio, 1, taken)
        yield "at the bench", lambda: begin(studio, 1, "routine")
        yield "new photo", lambda: self.photo(self.load_tree(1), 5)
        seen = {"leaf_lost_percent": "60", "dieback": "on"}
        yield "answer", lambda: put_answer(studio, 1, AnswerFields.model_validate(seen))
        yield "week", lambda: move_tree(studio, 2, self.list_trees()[1].window.start)
        yield "night", lambda: put_night(studio, day, -12.0)
        yield "practice of all", lambda: take_preset(studio, "bold")
        own = {key: next(iter(one.answers)) for key, one in questions().items()}
        yield "practice of one", lambda: save_tree_practice(studio, 2, own)
        marks = self.marks_of(1)
        marks["roots"] = marks["roots"][:-2]
        yield "marks", lambda: save_marks(studio, 1, marks, self.open_desk(1).revision)
        yield "frost", lambda: self.yard_is(last_frost="05-20")
        yield "heap", lambda: lay_on_heap(studio, "session", 1)
        yield "back", lambda: put_back(studio, "session", 1)
        yield "photo gone", lambda: lay_on_heap(studio, "photo", 2)
        yield "tree gone", lambda: lay_on_heap(studio, "tree", 2)
        yield "tree back", lambda: put_back(studio, "tree", 2)
        died = {"died_on": day, "died_of": "frost"}
        yield "death", lambda: say_died(studio, 2, DeathFields.model_validate(died))
        yield "new", lambda: self.tree(name="New elm")

    def yard_is(self, **values):
        with self.studio.writing() as db:
            put_yard(db, **values)

    def test_every_change_is_listed_at_once(self):
        self.list_trees()
        for what, change in self.changes():
            change()
            self.agree(what)

    def test_another_day_is_another_list(self):
        self.list_trees()
        for days in (1, 120, 300):
            self.studio.clock = lambda days=days: TODAY + timedelta(days=days)
            self.agree(days)

    def test_what_is_known_is_not_worked_out_again(self):
        first = self.list_trees()
        self.assertIs(self.list_trees()[0], first[0])
        say_strength(self.studio, 1, "fair")
        after = self.list_trees()
        self.assertIsNot(after[0], first[0])
        self.assertIs(after[1], first[1])

    def test_a_reader_that_began_before_a_change_leaves_nothing_behind(self):
        with self.studio.reading() as db:
            # Its state of the database begins here.
            db.get(Tree, 1)
            say_strength(self.studio, 1, "weak")
            list_trees(db, self.studio.today)
        self.agree("an old reader")

    def test_a_change_that_is_given_up_changes_nothing(self):
        before = said(self.list_trees()[0])
        with self.assertRaises(RuntimeError), self.studio.writing() as db:
            db.get_one(Tree, 1).strength = "weak"
            db.flush()
            raise RuntimeError("given up")
        self.assertEqual(said(self.list_trees()[0]), before)
        self.agree("given up")

    def test_readers_beside_a_writer_always_see_what_was_kept(self):
        stop, wrong = threading.Event(), []

        def read():
            while not stop.is_set():
                self.list_trees()

        readers = [threading.Thread(target=read) for _ in range(3)]
        for one in readers:
            one.start()
        for turn in range(12):
            strength = ("weak", "fair", "strong")[turn % 3]
            say_strength(self.studio, 1, strength)
            listed = self.list_trees()[0].tree.strength
            if listed != strength:
                wrong.append((turn, strength, listed))
        stop.set()
        for one in readers:
            one.join()
        self.assertEqual(wrong, [])

    def test_what_was_read_of_a_tree_is_read_once(self):
        def asked():
            statements = []
            note = lambda *said: statements.append(said[2])  # noqa: E731 # taken off again below
            event.listen(self.studio.engine, "before_cursor_execute", note)
            self.read(lambda db: self.records(db))
            event.remove(self.studio.engine, "before_cursor_execute", note)
            return len(statements)

        first = asked()
        self.assertGreater(first, 20)
        # The versions of the settings and of both trees, and the begin of the snapshot.
        versions = 4
        self.assertLessEqual(asked(), versions)
        say_strength(self.studio, 1, "weak")
        after = asked()
        self.assertGreater(after, versions)
        self.assertLess(after, versions + first // 2 + 1)

    def test_a_reader_sees_one_state_also_where_some_of_it_is_known(self):
        self.read(lambda db: self.records(db))
        with self.studio.reading() as db:
            before = load_tree(db, 1).strength
            say_strength(self.studio, 1, "weak")
            # Not read yet, so it comes from the database, which has moved on.
            self.assertEqual(standing_of(db, 1, self.studio.today).tree.strength, before)
        self.assertEqual(self.load_tree(1).strength, "weak")

    def test_a_statement_on_many_rows_is_seen_as_well(self):
        self.list_trees()
        self.load_tree(1)
        with self.studio.writing() as db:
            db.execute(update(Tree).values(name="Renamed"))
        self.assertEqual(self.load_tree(1).name, "Renamed")
        self.agree("many at once")

    def test_of_many_trees_those_looked_at_last_are_kept(self):
        for number in range(MAX_TREES + 8):
            self.load_tree(self.tree(name=f"Elm {number}").id)
        self.assertLessEqual(len(self.studio.state.trees), MAX_TREES)

    def test_rows_can_be_read_but_belong_to_no_session(self):
        row = self.list_trees()[0]
        self.assertEqual(row.tree.name, "Ferry zelkova")
        for kept in (row.tree, self.load_tree(1), self.read(yard_of)):
            self.assertIsNone(object_session(kept))
