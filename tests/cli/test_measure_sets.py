"""The measuring commands beyond one photo from above, by their contracts."""

import json
import shutil
import tempfile
import unittest
from datetime import date
from pathlib import Path

from mirvo.standins.base import random_base
from mirvo.standins.camera import Camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import take_photo, true_figures, true_marks
from mirvo.standins.scene import Layout
from mirvo.standins.turntable import SideCamera, side_figures, side_photo, side_truth
from tests.cli.test_cli import mirvo

TAKEN = date(2026, 3, 1)
BASE = random_base(12)
LAYOUT = Layout(card=CardPlace(0.0, -190.0, 0.0, 14.0))
SIDE = SideCamera(width=1200, height=900, focal_35mm=36)


class SetsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(tempfile.mkdtemp())
        cls.addClassCleanup(shutil.rmtree, cls.folder)
        cls.photos = []
        for i, toward in enumerate((30, 200)):
            shot = Camera(1600, 1200, 560, 30, toward, aim_mm=(0, -70), focal_35mm=26)
            (cls.folder / f"{i}.jpg").write_bytes(take_photo(BASE, shot, TAKEN, LAYOUT))
            marks = true_marks(BASE, shot, LAYOUT)
            marks["roots"] = marks["roots"][i::2]
            cls.photos.append({"file": f"{i}.jpg", "marks": marks})
        del cls.photos[1]["marks"]["trunk"]
        cls.views = []
        for turn in (0.0, 90.0, 180.0, 270.0):
            name = f"side{turn:.0f}.jpg"
            (cls.folder / name).write_bytes(side_photo(BASE, SIDE, turn, TAKEN))
            cls.views.append({"file": name, "marks": side_truth(BASE, SIDE, turn)})

    def file(self, name, content):
        path = self.folder / name
        path.write_text(json.dumps(content))
        return path

    def printed(self, *words):
        done = mirvo(*words)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        return json.loads(done.stdout)

    def refused(self, said, *words):
        done = mirvo(*words)
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertEqual(done.stderr.count("\n"), 1)
        self.assertIn(said, done.stderr)

    def test_top_set(self):
        listed = self.file("set.json", {"view": "top-set", "photos": self.photos})
        found = self.printed("measure", "top-set", listed)
        self.assertEqual(len(found["roots"]), len(BASE.roots))
        self.assertEqual({root["photo"] for root in found["roots"]}, {"0.jpg", "1.jpg"})
        known = true_figures(BASE)["trunk_diameter_mm"]
        self.assertAlmostEqual(found["trunk_diameter_mm"]["value"] / known, 1, delta=0.01)

    def test_side(self):
        marks = self.file("side.json", self.views[0]["marks"])
        found = self.printed("measure", "side", self.folder / "side0.jpg", "--marks", marks)
        names = {"flare_ratio", "soil_line_width_mm", "narrowest_width_mm", "flare_angle_deg"}
        names |= {"lean_deg", "reverse_taper", "undercut", "emergences", "widths", "calibration"}
        self.assertEqual(set(found), names)
        known = side_figures(BASE, 0.0)["soil_line_width_mm"]
        self.assertAlmostEqual(found["soil_line_width_mm"]["value"] / known, 1, delta=0.015)

    def test_side_set(self):
        listed = self.file("sides.json", {"view": "side-set", "photos": self.views})
        found = self.printed("measure", "side-set", listed)
        self.assertIn("levels it", found["root_plane"]["advice"])
        self.assertEqual(len(found["views"]), 4)

    def test_propose(self):
        marks = {**self.photos[0]["marks"]}
        del marks["roots"]
        words = ("propose", "top", self.folder / "0.jpg", "--marks", self.file("t.json", marks))
        found = self.printed(*words)
        self.assertGreaterEqual(len(found["roots"]), 2)
        names = {"path", "base_width", "confidence", "azimuth_deg"}
        self.assertEqual(set(found["roots"][0]), names)

    def test_card(self):
        for name in ("card.pdf", "card.svg"):
            self.assertEqual(mirvo("card", self.folder / name).returncode, 0)
            self.assertGreater((self.folder / name).stat().st_size, 1000)
        self.refused(".pdf or .svg", "card", self.folder / "card.doc")

    def test_errors_name_the_photo_of_the_set(self):
        lost = [{**self.photos[0], "file": "lost.jpg"}]
        listed = self.file("lost.json", {"view": "top-set", "photos": lost})
        self.refused("lost.jpg", "measure", "top-set", listed)
        broken = [self.photos[0], {**self.photos[1], "marks": {"view": "top"}}]
        listed = self.file("broken.json", {"view": "top-set", "photos": broken})
        self.refused("photos.1.marks.calibration", "measure", "top-set", listed)
        self.refused("photos", "measure", "side-set", self.file("none.json", {"view": "side-set"}))
