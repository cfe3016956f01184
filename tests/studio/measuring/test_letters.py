"""Letters put right later: swapped, joined and parted over dates, and all that was said of them."""

from datetime import date

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.letters import letter_changes, put_letters_right
from mirvo.studio.measuring.years import confirm, years_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.tree_queries import measurements_of
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

DAYS = (date(2024, 3, 1), date(2025, 3, 1), date(2026, 3, 1))


class LettersTest(StudioCase):
    """A tree with seven roots A to G on three photos, letters confirmed; A shortened in 2025."""

    def setUp(self):
        super().setUp()
        here = self.tree(name="Ferry zelkova")
        for day in DAYS:
            photo, marks = self.photo(here, taken_on=day)
            save_marks(self.studio, photo.id, marks, 0)
        rows = self.read(measurements_of, 1)
        self.ids = [row.id for row in rows]
        for number in self.ids[1:]:
            pairs = self.read(lambda db, n=number: years_of(db, 1, None, n)).comparison.old_letters
            labels = self.labels(self.ids.index(number))
            confirm(self.studio, 1, number, {label: pairs.get(label, "") for label in labels})
        cut = RootDone(label="A", action="shorten", part=0.5)
        form = SessionFields(done_on=date(2025, 3, 20), measurement_id=self.ids[1], roots=(cut,))
        self.session = record_session(self.studio, 1, form)

    def labels(self, place):
        return self.read(measurements_of, 1)[place].top.labels

    def azimuth(self, place, label):
        return self.read(measurements_of, 1)[place].top.root(label).azimuth_deg.value

    def test_two_letters_change_places_from_a_date_on(self):
        before = [(self.azimuth(place, "A"), self.azimuth(place, "B")) for place in range(3)]
        swap = {"A": "B", "B": "A"}
        with self.studio.reading() as db:
            changes = letter_changes(db, 1, self.ids[1], swap, onward=True)
        self.assertEqual([change.row.measured_on for change in changes], list(DAYS[1:]))
        self.assertEqual(changes[0].sessions, (date(2025, 3, 20),))
        self.assertEqual(changes[1].sessions, ())
        put_letters_right(self.studio, 1, self.ids[1], swap, onward=True)
        after = [(self.azimuth(place, "A"), self.azimuth(place, "B")) for place in range(3)]
        self.assertEqual(after[0], before[0])
        self.assertEqual(after[1:], [pair[::-1] for pair in before[1:]])
        # The cut of that year follows the root it was made on.
        self.assertEqual(set(self.cuts_of(self.session)), {"B"})
        # Put right twice, all is as it was.
        put_letters_right(self.studio, 1, self.ids[1], swap, onward=True)
        self.assertEqual(self.azimuth(1, "A"), before[1][0])

    def test_a_root_is_parted_from_another_on_one_photo_and_joined_again(self):
        count = len(self.labels(2))
        put_letters_right(self.studio, 1, self.ids[2], {"A": ""}, onward=True)
        fresh = set(self.labels(2)) - set(self.labels(1))
        self.assertEqual((len(fresh), len(self.labels(2))), (1, count))
        put_letters_right(self.studio, 1, self.ids[2], {fresh.pop(): "A"}, onward=False)
        self.assertEqual(self.labels(2), self.labels(1))

    def test_what_cannot_be_is_refused_and_changes_nothing(self):
        before = [self.labels(place) for place in range(3)]
        for wrong in ({"A": "B"}, {"A": "Q"}, {}, {"A": "A"}):
            with self.subTest(letters=wrong), self.assertRaises(BadInput):
                put_letters_right(self.studio, 1, self.ids[1], wrong, onward=True)
        with self.assertRaises(NotFound):
            put_letters_right(self.studio, 1, 999, {"A": "B"}, onward=True)
        self.assertEqual([self.labels(place) for place in range(3)], before)

    def test_the_page_shows_what_changes_before_it_does(self):
        pages = TestClient(create_app(self.studio))
        place = f"/trees/1/years/{self.ids[1]}/letters"
        self.assertIn("A letter is wrong?", pages.get(f"/trees/1/years?after={self.ids[1]}").text)
        sent = {"letter_A": "B", "letter_B": "A", "onward": "on"}
        text = " ".join(pages.post(f"{place}/preview", data=sent).text.split())
        self.assertIn("A becomes B, B becomes A", text)
        self.assertIn("20 March 2025", text)
        kept = self.azimuth(1, "A")
        self.assertIn("Nothing has changed yet.", text)
        refused = pages.post(f"{place}/preview", data={"letter_A": "B"})
        self.assertIn("two roots would bear the letter B", refused.text)
        pages.post(place, data=sent)
        self.assertEqual(self.azimuth(1, "B"), kept)
