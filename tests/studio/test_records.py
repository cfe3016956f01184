"""What a person does, kept: trees, photos, marks, sessions, plans."""

import io
import struct
import zlib
from datetime import date

import icalendar
from PIL import Image

from mirvo.core.almanac import species_by_key
from mirvo.core.errors import BadInput, Conflict, NotFound
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.intake import take_in
from mirvo.studio.photos.simulated import take_simulated, truth_of
from mirvo.studio.records.aftercare import tick
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.session_form import RootDone, SessionForm
from mirvo.studio.yard.bench import bench, move_tree
from mirvo.studio.yard.calendar import calendar_of, drop_secret, entries_of, new_secret
from mirvo.studio.yard.settings import YardForm, save_yard
from mirvo.studio.yard.trees import TreeForm, edit_tree
from mirvo.studio.yard.weather import expected_bud_swell, frost_watch
from tests.studio_case import TODAY, StudioCase


def jpeg(size=(640, 480), **options):
    out = io.BytesIO()
    Image.new("RGB", size, (120, 110, 90)).save(out, options.pop("format", "JPEG"), **options)
    return out.getvalue()


def chunk(name, content):
    """One part of a PNG file."""
    body = name + content
    return struct.pack(">I", len(content)) + body + struct.pack(">I", zlib.crc32(body))


class TreesTest(StudioCase):
    def test_a_second_tab_cannot_overwrite(self):
        tree = self.tree()
        form = TreeForm(name="Ferry zelkova", species_key="zelkova", note="first")
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


class PhotosTest(StudioCase):
    def test_bad_files_are_named_and_the_good_go_in(self):
        tree = self.tree()
        bomb = b"\x89PNG\r\n\x1a\n" + chunk(
            b"IHDR", struct.pack(">IIBBBBB", 20000, 15000, 8, 2, 0, 0, 0)
        )
        bomb += chunk(b"IDAT", zlib.compress(b"\0" * 100))
        files = [
            ("empty.jpg", b""),
            ("letter.jpg", b"Dear yard, no photo here."),
            ("huge.png", bomb),
            ("half.jpg", jpeg(quality=95)[:700]),
            ("tiny.png", jpeg((50, 40), format="PNG")),
            ("moving.gif", jpeg(format="GIF")),
            ("good.jpg", jpeg()),
            ("good.webp", jpeg(format="WEBP")),
        ]
        results = take_in(self.studio, tree.id, files)
        refused = {r.file_name: r.refused for r in results if r.refused}
        self.assertEqual(set(refused), {name for name, _ in files[:6]})
        for name, said in refused.items():
            self.assertTrue(said.startswith(name), said)
        self.assertIn("0 bytes", refused["empty.jpg"])
        self.assertIn("megapixels", refused["huge.png"])
        self.assertEqual(len(self.photos_of(tree.id)), 2)

    def test_orientation_focal_length_and_date_come_from_exif(self):
        exif = Image.Exif()
        exif[0x0112] = 6
        exif.get_ifd(0x8769).update({0x9003: "2025:03:14 10:00:00", 0xA405: 26})
        [result] = take_in(self.studio, self.tree().id, [("turned.jpg", jpeg(exif=exif))])
        photo = result.photo
        self.assertEqual((photo.width, photo.height), (480, 640))
        self.assertEqual((photo.taken_on, photo.focal_length_35mm), (date(2025, 3, 14), 26))
        with Image.open(self.studio.photos.derivative(photo.digest, "thumb")) as small:
            self.assertEqual(small.size, (240, 320))

    def test_heic_from_a_phone(self):
        from pillow_heif import from_pillow

        out = io.BytesIO()
        from_pillow(Image.new("RGB", (640, 480), (90, 120, 80))).save(out)
        [result] = take_in(self.studio, self.tree().id, [("phone.heic", out.getvalue())])
        self.assertIsNone(result.refused)
        self.assertEqual((result.photo.width, result.photo.media_type), (640, "image/heic"))

    def test_derivatives_are_remade_and_originals_untouched(self):
        content = jpeg((3000, 2000))
        [result] = take_in(self.studio, self.tree().id, [("big.jpg", content)])
        path = self.studio.photos.derivative(result.photo.digest, "desk")
        path.unlink()
        with Image.open(self.studio.photos.derivative(result.photo.digest, "desk")) as again:
            self.assertEqual(again.size, (2016, 1344))
        self.assertEqual(self.studio.photos.read(result.photo.digest), content)

    def test_smaller_pictures_keep_their_shape_and_are_never_enlarged(self):
        for size, sizes in (
            ((4000, 3000), [(2000, 1500), (900, 675), (320, 240)]),
            ((1500, 1000), [(1500, 1000), (900, 600), (320, 213)]),
        ):
            [result] = take_in(self.studio, self.tree().id, [("one.jpg", jpeg(size))])
            for name, expected in zip(("desk", "page", "thumb"), sizes, strict=True):
                path = self.studio.photos.derivative(result.photo.digest, name)
                with self.subTest(size=size, name=name), Image.open(path) as small:
                    self.assertEqual(small.size, expected)

    def test_simulated_photo_keeps_its_truth(self):
        tree = self.tree()
        photo = take_simulated(self.studio, tree.id)
        known = truth_of(self.studio, photo)
        self.assertEqual(photo.focal_length_35mm, 48)
        self.assertGreater(known["figures"]["trunk_diameter_mm"], 30)


class DeskTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.photo_row, self.marks = self.photo(self.tree())

    def save(self, revision=0, **changes):
        return save_marks(self.studio, self.photo_row.id, self.marks | changes, revision)

    def test_marks_give_figures_and_are_there_again(self):
        state = self.save()
        self.assertIsNone(state.found.problem)
        self.assertEqual(len(state.found.top.roots), len(self.marks["roots"]))
        again = self.open_desk(self.photo_row.id)
        self.assertEqual((again.marks.as_json(), again.revision), (self.marks, 1))
        self.assertEqual(again.found.top, state.found.top)

    def test_a_mark_in_hand_is_kept_and_does_not_hinder_the_figures(self):
        state = self.save(draft={"tool": "root", "points": [[10.0, 10.0]]})
        self.assertIsNone(state.found.problem)
        self.assertIsNotNone(state.found.top)
        self.assertIsNotNone(self.open_desk(self.photo_row.id).marks.draft)

    def test_a_yard_of_careless_clicks_has_wider_error_bars(self):
        careful = self.save().found.top.trunk_diameter_mm.plus_minus
        save_yard(self.studio, YardForm(click_sd_px=8))
        careless = self.save(1).found.top.trunk_diameter_mm.plus_minus
        self.assertGreater(careless, 1.5 * careful)

    def test_incomplete_marks_are_kept_and_the_next_step_is_said(self):
        self.assertIn("Calibrate", self.save(calibration=None).found.missing)
        self.assertIn("outline", self.save(1, trunk=None).found.missing)
        self.assertIn("each root", self.save(2, roots=[]).found.missing)

    def test_faulty_marks_are_kept_and_the_fault_is_said(self):
        for change, field in (
            ({"trunk": {"outline": [[0, 0], [99, 99], [99, 0], [0, 99]]}}, "trunk.outline"),
            (
                {"front": [5000.0, 10.0], "trunk": {"outline": [[1, 1], [9999, 5], [50, 50]]}},
                "trunk",
            ),
        ):
            revision = self.open_desk(self.photo_row.id).revision
            state = self.save(revision, **change)
            self.assertTrue(state.found.problem.field.startswith(field))
            kept = self.open_desk(self.photo_row.id)
            self.assertEqual(kept.marks.as_json(), self.marks | change)

    def test_another_window_is_not_overwritten(self):
        self.save()
        with self.assertRaises(Conflict):
            self.save(0, front=None)
        self.assertEqual(self.open_desk(self.photo_row.id).marks.front, tuple(self.marks["front"]))

    def test_what_is_no_set_of_marks_is_refused(self):
        for junk in (None, [], {"roots": 3}, "x"):
            with self.assertRaises(BadInput):
                save_marks(self.studio, self.photo_row.id, junk, 0)


class SessionsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree_row = self.tree(container="wide training pot")
        photo, marks = self.photo(self.tree_row, taken_on=date(2025, 3, 20))
        self.figures = save_marks(self.studio, photo.id, marks, 0).found.top

    def record(self, **changes):
        values = {
            "done_on": date(2025, 3, 28),
            "bud_stage": "buds swelling",
            "ball_depth_before": 90,
            "slice_mm": 30,
            "woody_depth_mm": 55,
            **changes,
        }
        return record_session(self.studio, self.tree_row.id, SessionForm.model_validate(values))

    def test_share_is_computed_from_slice_and_roots(self):
        session = self.record(roots=[RootDone(label="A", action="remove")])
        by_width = {r.label: r.width_mm for r in self.figures.roots}
        feeders = {r.label: r.feeders for r in self.figures.roots}
        weights = {label: w * feeders[label] for label, w in by_width.items()}
        root = 0.4 * weights["A"] / sum(weights.values())
        self.assertAlmostEqual(session.share_computed, 1 - (1 - root) * (2 / 3), 3)
        self.assertAlmostEqual(session.budget, 0.5)
        self.assertEqual(session.ball_depth_after, 60)

    def test_a_removed_root_no_longer_stands(self):
        self.record(roots=[RootDone(label="A", action="remove")])
        self.assertNotIn("A", [root.label for root in self.sheet_of(self.tree_row.id).base.roots])

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        for field, change in (
            ("done_on", {"done_on": date(2027, 3, 1)}),
            ("slice_mm", {"slice_mm": 90}),
            ("ball_depth_after", {"ball_depth_after": 120}),
            ("ball_depth_before", {"ball_depth_before": None}),
            ("roots", {"roots": [RootDone(label="Z", action="remove")]}),
            ("kind", {"kind": "haircut"}),
        ):
            with self.subTest(field=field), self.assertRaises(BadInput) as said:
                self.record(**change)
            self.assertEqual(said.exception.field, field)
        self.assertEqual(self.sessions_of(self.tree_row.id), ())

    def test_emergency_and_collection_have_their_own_budgets(self):
        self.assertEqual(self.record(kind="emergency", slice_mm=0).budget, 0)
        self.assertEqual(self.record(kind="collection").budget, 1)

    def test_out_of_season_is_said(self):
        self.assertEqual(self.record(done_on=date(2025, 7, 20), bud_stage="").budget, 0)

    def test_cold_nights_concern_worked_and_tender_trees_but_not_those_under_glass(self):
        self.studio.clock = lambda: TODAY.replace(month=2, day=10)
        tender = self.tree(name="Glass gardenia", species_key="gardenia")
        names = {one.tree.name: one for one in self.read(frost_watch, self.studio.today)}
        self.assertIn("nights above 15", names["Glass gardenia"].why)
        values = {name: getattr(tender, name) for name in TreeForm.model_fields}
        housed = TreeForm.model_validate({**values, "under_glass": True})
        edit_tree(self.studio, tender.id, housed, tender.version)
        self.assertNotIn(
            "Glass gardenia", [one.tree.name for one in self.read(frost_watch, self.studio.today)]
        )
        self.record(done_on=date(2026, 2, 1), bud_stage="buds swelling", slice_mm=0)
        worked = [
            one
            for one in self.read(frost_watch, self.studio.today)
            if one.tree.id == self.tree_row.id
        ]
        self.assertIn("worked on 1 February", worked[0].why)
        self.assertTrue(all(night.low_c <= 1 for night in worked[0].nights))

    def test_buds_are_expected_before_the_last_frost_in_either_hemisphere(self):
        yard = self.yard()
        north = expected_bud_swell(yard, species_by_key("zelkova"), 2027)
        self.assertTrue(date(2027, 3, 1) < north < date(2027, 4, 25), north)
        yard.last_frost = "09-20"
        south = expected_bud_swell(yard, species_by_key("zelkova"), 2027)
        self.assertTrue(date(2027, 8, 1) < south < date(2027, 9, 25), south)
        self.assertIsNone(expected_bud_swell(yard, species_by_key("gardenia"), 2027))

    def test_the_calendar_holds_windows_and_aftercare_behind_a_secret(self):
        self.record(done_on=date(2026, 11, 10), bud_stage="", slice_mm=0)
        secret = new_secret(self.studio)
        found = icalendar.Calendar.from_ical(self.read(calendar_of, self.studio, secret)).walk(
            "VEVENT"
        )
        titles = [str(event["SUMMARY"]) for event in found]
        self.assertIn(f"{self.tree_row.name}: window for root work", titles)
        self.assertIn(f"{self.tree_row.name}: Out of the shade after 14 days", titles)
        for wrong in ("", "guess", new_secret(self.studio) + "x", secret):
            with self.assertRaises(NotFound):
                self.read(calendar_of, self.studio, wrong)
        drop_secret(self.studio)
        with self.assertRaises(NotFound):
            self.read(calendar_of, self.studio, "")

    def test_windows_of_the_calendar_fit_the_southern_year_too(self):
        save = YardForm(name="South", last_frost="09-20")
        save_yard(self.studio, save)
        [window] = [
            one for one in self.read(entries_of, self.studio.today) if one.key.startswith("window")
        ]
        self.assertIn(window.first.month, (7, 8, 9))

    def test_a_window_over_new_year_and_one_over_a_leap_day_stand_in_the_calendar(self):
        self.studio.clock = lambda: TODAY.replace(year=2027, month=12, day=1)
        self.tree(name="Glass gardenia", species_key="gardenia")
        for last_frost, first, after in (
            ("11-10", date(2027, 12, 8), date(2028, 2, 3)),
            ("01-20", date(2028, 2, 17), date(2028, 4, 14)),
        ):
            save_yard(self.studio, YardForm(name="Elsewhere", last_frost=last_frost))
            content = self.read(calendar_of, self.studio, new_secret(self.studio))
            events = icalendar.Calendar.from_ical(content).walk("VEVENT")
            [event] = [one for one in events if "gardenia" in str(one["SUMMARY"])]
            self.assertEqual((event.decoded("dtstart"), event.decoded("dtend")), (first, after))

    def test_the_weeks_hold_what_is_soon_and_a_tree_is_moved_within_its_window(self):
        [week] = self.read(bench, self.studio.today).weeks
        [(row, offered)] = week.trees
        self.assertEqual((row.tree.id, week.room), (self.tree_row.id, 6))
        move_tree(self.studio, self.tree_row.id, offered[0])
        [moved] = self.read(bench, self.studio.today).weeks
        self.assertEqual(moved.monday, offered[0])
        with self.assertRaises(BadInput):
            move_tree(self.studio, self.tree_row.id, date(2027, 8, 2))
        move_tree(self.studio, self.tree_row.id, None)
        self.assertEqual(self.read(bench, self.studio.today).weeks[0].monday, week.monday)

    def test_the_bench_shows_aftercare_and_what_is_due(self):
        self.assertEqual(
            [row.tree.id for row in self.read(bench, self.studio.today).soon], [self.tree_row.id]
        )
        self.record(done_on=date(2026, 11, 10), bud_stage="", slice_mm=0)
        due = self.read(bench, self.studio.today).aftercare
        self.assertEqual({one.tree.id for one in due}, {self.tree_row.id})
        self.assertEqual(
            [(one.task.code, one.task.due.isoformat()) for one in due],
            [("photo", "2026-11-24"), ("shade", "2026-11-24"), ("cold", "2026-11-25")],
        )
        tick(self.studio, due[0].task.id)
        self.assertEqual(
            [one.task.code for one in self.read(bench, self.studio.today).aftercare],
            ["shade", "cold"],
        )
        tick(self.studio, due[0].task.id, done=False)
        self.assertEqual(len(self.read(bench, self.studio.today).aftercare), 3)
