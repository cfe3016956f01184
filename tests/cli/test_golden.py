"""What the commands print on kept inputs: golden files that hold the contract still.

Each file holds a command, its input, the photo it goes with (a name, or the size of a blank
one) and what was printed, or the sentence it was refused with.
"""

import json
import shutil
import tempfile
import unittest
from math import isclose
from pathlib import Path

from PIL import Image
from typer.testing import CliRunner

from mirvo.cli import app
from mirvo.core.errors import BadInput

GOLDEN = Path(__file__).parent.parent / "golden"
LAST_DIGIT = 0.011  # another processor may round the last printed digit the other way


def difference(found, kept, place="", within=LAST_DIGIT):
    """Where two printed results differ by more than a last digit, None where nowhere."""
    if isinstance(kept, float) and isinstance(found, int | float):
        close = isclose(found, kept, rel_tol=1e-3, abs_tol=within)
        return None if close else f"{place}: {found} instead of {kept}"
    if type(found) is not type(kept):
        return f"{place}: {found!r} instead of {kept!r}"
    if isinstance(kept, dict):
        if set(found) != set(kept):
            return f"{place}: names differ by {set(found) ^ set(kept)}"
        pairs = ((f"{place}/{name}", found[name], kept[name]) for name in kept)
    elif isinstance(kept, list):
        if len(found) != len(kept):
            return f"{place}: {len(found)} entries instead of {len(kept)}"
        pairs = ((f"{place}/{i}", *two) for i, two in enumerate(zip(found, kept, strict=True)))
    else:
        return None if found == kept else f"{place}: {found!r} instead of {kept!r}"
    within = 0.3 if "/path" in place or "/base_width" in place else within  # proposals, px
    return next(
        (said for one in pairs if (said := difference(one[1], one[2], one[0], within))), None
    )


class GoldenTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)

    def printed(self, kept):
        given = self.folder / "given.json"
        given.write_text(json.dumps(kept["input"]))
        words = [*kept["command"], str(given)]
        photo = kept["photo"]
        if isinstance(photo, dict):
            blank = self.folder / "blank.png"
            Image.new("RGB", tuple(photo["blank"]), (120, 110, 90)).save(blank)
            words = [*kept["command"], str(blank), "--marks", str(given)]
        elif photo is not None:
            words = [*kept["command"], str(GOLDEN / photo), "--marks", str(given)]
        else:
            for file in GOLDEN.glob("*.jpg"):
                shutil.copy(file, self.folder)
        return CliRunner().invoke(app, words)

    def test_every_kept_result(self):
        files = sorted(GOLDEN.glob("*.json"))
        self.assertGreaterEqual(len(files), 30)
        for file in files:
            with self.subTest(file=file.stem):
                kept = json.loads(file.read_text())
                done = self.printed(kept)
                if "error" in kept:
                    self.assertIsInstance(done.exception, BadInput)
                    self.assertEqual(str(done.exception), kept["error"])
                    continue
                self.assertIsNone(done.exception)
                printed = json.loads(done.stdout)
                if kept["command"][0] == "propose":
                    self.much_the_same(printed["roots"], kept["output"]["roots"])
                else:
                    self.assertIsNone(difference(printed, kept["output"]))

    def much_the_same(self, found, kept):
        """Proposals rest on a network, whose sums other processors round otherwise."""
        self.assertEqual(len(found), len(kept))
        for root, before in zip(found, kept, strict=True):
            self.assertEqual(set(root), set(before))
            self.assertAlmostEqual(root["azimuth_deg"], before["azimuth_deg"], delta=2.0)
            self.assertAlmostEqual(root["confidence"], before["confidence"], delta=0.1)
            for spot, other in zip(root["path"][-1], before["path"][-1], strict=True):
                self.assertAlmostEqual(spot, other, delta=8.0)
