"""The command line by its contracts, as a separate process."""

import json
import shutil
import subprocess
import sys
import tempfile
import unittest
from datetime import date
from pathlib import Path

from mirvo.standins.base import random_base
from mirvo.standins.camera import random_camera
from mirvo.standins.photo import take_photo, truth
from mirvo.web.settings import Settings
from tests.core.plan.test_search import CASE
from tests.studio_case import StudioCase


def mirvo(*words):
    return subprocess.run(
        [sys.executable, "-m", "mirvo.cli", *map(str, words)], capture_output=True, text=True
    )


class CommandsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(tempfile.mkdtemp())
        cls.addClassCleanup(shutil.rmtree, cls.folder)
        base, camera = random_base(2), random_camera(2, 800, 600)
        cls.photo = cls.folder / "base.jpg"
        cls.photo.write_bytes(take_photo(base, camera, date(2026, 3, 1)))
        cls.truth = truth(base, camera)

    def file(self, name, content):
        path = self.folder / name
        path.write_text(content if isinstance(content, str) else json.dumps(content))
        return path

    def test_measure_top(self):
        done = mirvo(
            "measure", "top", self.photo, "--marks", self.file("m.json", self.truth["marks"])
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        found = json.loads(done.stdout)
        known = self.truth["figures"]
        self.assertAlmostEqual(
            found["trunk_diameter_mm"]["value"] / known["trunk_diameter_mm"], 1, 1
        )
        self.assertEqual(
            set(found), {"calibration", "trunk_diameter_mm", "spread", "roots", "radiality"}
        )
        self.assertEqual(
            set(found["radiality"]),
            {
                "index",
                "coverage",
                "evenness",
                "balance",
                "heading",
                "largest_gap_deg",
                "largest_gap_clock",
                "open_arcs",
            },
        )

    def test_plan(self):
        quick = {**CASE, "horizon_years": 10}
        done = mirvo("plan", self.file("case.json", quick))
        self.assertEqual(done.returncode, 0)
        result = json.loads(done.stdout)
        self.assertEqual([path["school"] for path in result["paths"]], ["gentle", "steady", "bold"])
        self.assertIn("unreachable", result)

    def test_bad_input_is_one_line_and_exit_2(self):
        crossed = {
            **self.truth["marks"],
            "trunk": {"outline": [[0, 0], [50, 50], [50, 0], [0, 50]]},
        }
        text = self.file("photo.jpg", "not a photo")
        good = self.file("m.json", self.truth["marks"])
        for words, said in (
            (
                ("measure", "top", self.photo, "--marks", self.file("b.json", crossed)),
                "trunk.outline",
            ),
            (("measure", "top", text, "--marks", good), "photo.jpg"),
            (("measure", "top", self.folder / "none.jpg", "--marks", good), "none.jpg"),
            (("measure", "top", self.photo, "--marks", self.file("c.json", "{")), "is not JSON"),
            (("plan", self.file("d.json", {**CASE, "strength": "huge"})), "strength"),
            (("plan", self.file("e.json", "[]")), "one JSON object"),
            (("plan", self.folder), "cannot be read"),
        ):
            with self.subTest(said=said):
                done = mirvo(*words)
                self.assertEqual(done.returncode, 2)
                self.assertEqual(done.stdout, "")
                self.assertEqual(len(done.stderr.strip().splitlines()), 1)
                self.assertIn(said, done.stderr)


class BackupTest(StudioCase):
    def test_everything_goes_into_a_file_and_back(self):
        self.tree()
        backup, again = self.folder / "yard.zip", self.folder / "again"
        data = ("--data", self.studio.folder)
        self.assertIn("yard.zip written", mirvo("backup", backup, *data).stdout)
        self.assertIn("1 tree, 0 photos", mirvo("restore", backup, "--data", again).stdout)
        self.assertTrue((again / "mirvo.sqlite3").exists())
        for words, said in (
            (("backup", self.folder / "yard.tar", *data), "ending in .zip"),
            (("backup", backup, "--data", self.folder / "none"), "holds no data"),
            (("restore", backup, "--data", again), "holds data already"),
            (("restore", self.folder / "none.zip", "--data", again), "no such file"),
        ):
            with self.subTest(said=said):
                done = mirvo(*words)
                self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1))
                self.assertIn(said, done.stderr)


class DocumentedTest(unittest.TestCase):
    readme = (Path(__file__).parent.parent.parent / "README.md").read_text("utf-8")

    def test_each_setting_stands_in_the_readme_with_its_default(self):
        for name, field in Settings.model_fields.items():
            line = f"| `MIRVO_{name.upper()}` | `{field.default}` | {field.description} |"
            self.assertIn(line, self.readme)

    def test_each_command_has_help(self):
        commands = ("", "measure", "measure top", "plan", "serve", "demo")
        commands += ("backup", "restore", "check")
        for words in commands:
            done = mirvo(*words.split(), "--help")
            self.assertEqual(done.returncode, 0)
            self.assertIn("Usage", done.stdout)

    def test_each_screenshot_is_linked(self):
        shots = Path(__file__).parent.parent.parent / "docs/screenshots"
        for path in shots.glob("*.png"):
            self.assertIn(f"docs/screenshots/{path.name}", self.readme)
