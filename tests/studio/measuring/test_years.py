"""Years: letters proposed, confirmed and kept; stories of roots; photos laid flat."""

import io
from datetime import date

import numpy as np
from PIL import Image
from sqlalchemy import select, update

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.records.models import Measurement, Root
from mirvo.standins.base import grown, random_base, without
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.flat_photo import plan_photo
from mirvo.studio.measuring.same_tree import doubts_of, set_aside, settle_unlooked
from mirvo.studio.measuring.years import confirm, say_same_tree, years_of
from mirvo.studio.photos.simulated import photograph, truth_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.tree_queries import measurements_of
from tests.studio_case import StudioCase


class YearsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.base = random_base(3, 44)
        self.here = self.tree()
        self.first = self.measured(self.base, date(2020, 3, 1), 3)
        self.cut = self.base.roots[1].key
        self.later = grown(without(self.base, {self.cut}), 5)
        self.second = self.measured(self.later, date(2025, 3, 1), 4)

    def measured(self, base, day, seed):
        photo = photograph(self.studio, self.here.id, base, seed, day, (800, 600))
        save_marks(self.studio, photo.id, truth_of(self.studio, photo)["marks"], 0)
        return photo

    def years(self, before=None, after=None):
        return self.read(years_of, self.here.id, before, after)

    def letters(self, years):
        """As proposed: every root's old letter."""
        given = {new: old for old, new in years.comparison.match.pairs}
        labels = years.measurements[-1].top_marks.labels
        return {label: given.get(label, "") for label in labels}

    def test_the_cut_root_is_gone_and_the_others_are_found_again(self):
        years = self.years()
        old = [chr(65 + i) for i in range(len(self.base.roots))]
        self.assertEqual(years.comparison.match.gone, [old[1]])
        kept = [label for label in old if label != old[1]]
        expected = dict(zip(kept, old[: len(kept)], strict=True))
        self.assertEqual(dict(years.comparison.match.pairs), expected)
        self.assertEqual(years.waiting, [years.measurements[1]])

    def test_a_photo_of_another_tree_is_asked_about_and_teaches_nothing_till_then(self):
        # A base of the same trunk, seen a year on.
        other = random_base(41, 48)
        self.measured(other, date(2026, 3, 1), 5)
        strange = self.years().measurements[-1]
        [doubted] = self.read(doubts_of, self.here.id)
        self.assertEqual(doubted.id, strange.id)
        self.assertIn("same tree?", doubted.doubt)
        self.assertEqual(self.open_desk(strange.photo_id).doubt, doubted.doubt)
        self.counted(2, strange, False)
        say_same_tree(self.studio, self.here.id, strange.id, same=True)
        self.assertEqual(self.read(doubts_of, self.here.id), [])
        self.assertEqual(self.open_desk(strange.photo_id).doubt, "")
        self.counted(3, strange, True)
        say_same_tree(self.studio, self.here.id, strange.id, same=False)
        self.counted(2, strange, False)
        self.assertEqual([row.id for row in self.read(set_aside, self.here.id)], [strange.id])
        self.assertNotIn(strange.id, [row.id for row in self.years().measurements])

    def counted(self, many, strange, by_strange):
        """What each place rests on: the records, the sheet, the list, its trunk and its letters."""
        rows = self.read(measurements_of, self.here.id)
        self.assertEqual(len(rows), many)
        newest = rows[-1]
        self.assertEqual(newest.id == strange.id, by_strange)
        sheet = self.sheet_of(self.here.id)
        self.assertEqual(sheet.base.measurement.id, newest.id)
        self.assertEqual([row.id for row in sheet.dated], [row.id for row in rows])
        [line] = [row for row in self.list_trees() if row.tree.id == self.here.id]
        self.assertEqual(line.measurement_id, newest.id)
        self.assertEqual(line.measured.trunk_diameter_mm, newest.top.trunk_diameter_mm)
        seen = {label for row in rows for label in row.top.labels}
        with self.studio.reading() as db:
            letters = select(Root.label).where(Root.tree_id == self.here.id)
            self.assertEqual(set(db.scalars(letters.where(Root.first_seen_on.is_not(None)))), seen)

    def test_the_desk_says_to_the_last_digit_what_is_kept(self):
        rows = self.read(measurements_of, self.here.id)
        self.assertEqual(len(rows), 2)
        for row in rows:
            self.assertEqual(self.open_desk(row.photo_id).found.top, row.top)
            self.assertEqual(row.top.as_kept(), row.top)

    def test_a_photo_nobody_has_looked_at_yet_is_looked_at(self):
        self.measured(random_base(41, 48), date(2026, 3, 1), 5)
        with self.studio.writing() as db:
            db.execute(update(Measurement).values(doubt=None))
        self.assertEqual(self.read(doubts_of, self.here.id), [])
        settle_unlooked(self.studio)
        self.assertEqual(len(self.read(doubts_of, self.here.id)), 1)

    def test_one_strange_photo_casts_no_doubt_on_those_after_it(self):
        self.measured(random_base(41, 48), date(2026, 3, 1), 5)
        self.measured(self.later, date(2026, 6, 1), 5)
        self.assertEqual(len(self.read(doubts_of, self.here.id)), 1)
        self.assertEqual(self.sheet_of(self.here.id).base.measurement.measured_on, date(2026, 6, 1))

    def test_confirmed_letters_are_kept_in_marks_figures_and_stories(self):
        years = self.years()
        newer = years.measurements[-1]
        confirm(self.studio, self.here.id, newer.id, self.letters(years))
        after = self.years()
        self.assertTrue(after.comparison.confirmed)
        self.assertEqual(after.waiting, [])
        state = self.open_desk(self.second.id)
        labels = state.marks.labels
        self.assertNotIn("B", labels)
        self.assertEqual(labels, state.found.top.labels)
        stories = {story.label: story for story in after.stories}
        self.assertEqual(stories["B"].end, "not seen again")
        self.assertEqual(len(stories["A"].seen), 2)
        for story in stories.values():
            azimuths = [one.azimuth_deg for one in story.seen]
            self.assertLess(abs((azimuths[-1] - azimuths[0] + 180) % 360 - 180), 6)

    def test_a_root_cut_in_a_session_says_so_in_its_story(self):
        years = self.years()
        first = years.measurements[0]
        form = SessionFields(
            kind="routine",
            done_on=date(2020, 3, 2),
            measurement_id=first.id,
            roots=[RootDone(label="B", action="remove")],
        )
        record_session(self.studio, self.here.id, form)
        confirm(self.studio, self.here.id, years.measurements[-1].id, self.letters(years))
        stories = {story.label: story for story in self.years().stories}
        self.assertEqual(stories["B"].end, "cut 2020")

    def test_a_new_root_gets_a_letter_never_used_before(self):
        years = self.years()
        newer = years.measurements[-1]
        letters = self.letters(years)
        first = next(iter(letters))
        confirm(self.studio, self.here.id, newer.id, {**letters, first: ""})
        labels = self.open_desk(self.second.id).marks.labels
        self.assertIn(chr(65 + len(self.base.roots)), labels)

    def test_letters_that_cannot_be(self):
        years = self.years()
        newer = years.measurements[-1].id
        letters = self.letters(years)
        one, two = list(letters)[:2]
        for wrong, said in (
            ({**letters, one: letters[two]}, "two roots"),
            ({**letters, one: "Q"}, "ever bore"),
            ({one: letters[one]}, "say which root"),
        ):
            with self.assertRaises(BadInput) as error:
                confirm(self.studio, self.here.id, newer, wrong)
            self.assertIn(said, error.exception.message)
        with self.assertRaises(NotFound):
            confirm(self.studio, self.here.id, years.measurements[0].id, letters)

    def test_changes_say_whether_they_are_real(self):
        rows = {row.name: row.change for row in self.years().comparison.figures}
        self.assertTrue(rows["Trunk diameter"].real)
        self.assertGreater(rows["Spread, flare"].difference.value, 0)
        same = self.years(before=1, after=2).comparison
        self.assertEqual(same.before.id, 1)

    def test_an_unknown_measurement(self):
        with self.assertRaises(NotFound):
            self.years(after=99)

    def test_photos_are_laid_flat_in_one_frame(self):
        """The same photo, measured with its front marked elsewhere, lies the same when turned."""
        first = self.years().measurements[0]
        straight = self.pixels(self.read(plan_photo, self.studio, first.id, 0.0, 90.0))
        quarter = self.pixels(self.read(plan_photo, self.studio, first.id, 90.0, 90.0))
        self.assertEqual(straight.shape, (720, 720, 3))
        inner = slice(150, 570)
        turned = np.rot90(straight, -1)[inner, inner]
        off = np.abs(turned - quarter[inner, inner]).mean()
        against = np.abs(straight[inner, inner] - quarter[inner, inner]).mean()
        self.assertLess(off, 0.3 * against)

    def pixels(self, content):
        return np.asarray(Image.open(io.BytesIO(content)).convert("RGB"), float)

    def test_marks_changed_after_confirming_keep_their_letters(self):
        years = self.years()
        newer = years.measurements[-1]
        confirm(self.studio, self.here.id, newer.id, self.letters(years))
        state = self.open_desk(self.second.id)
        marks = state.marks.as_json()
        marks["roots"].pop()
        save_marks(self.studio, self.second.id, marks, state.revision)
        self.assertTrue(self.years().comparison.confirmed)
