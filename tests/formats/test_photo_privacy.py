"""Photos given away lose place, serial numbers and names; the picture stays as it was."""

import io
import json
import zipfile
from datetime import date
from hashlib import sha256

import numpy as np
import pillow_heif
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from mirvo.core.errors import BadInput
from mirvo.formats.photo_privacy import private_details, without_private
from mirvo.records.models import Photo
from mirvo.records.photos import examine
from mirvo.studio.exchange.incoming import take_in
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.photos import intake
from tests.studio_case import StudioCase, other_studio

OWNER, SERIAL = "Ada Brown", "SN123456"
ALL = ("place", "serial number", "owner's name", "notes")


def photographed(kind, **more):
    """A photo as a phone saves it, with all it says of place and people."""
    pillow_heif.register_heif_opener()
    rng = np.random.default_rng(1)
    shades = np.kron(rng.random((30, 40, 3)), np.ones((10, 10, 1))) * 255
    image = Image.fromarray(shades.astype("uint8"))
    exif = Image.Exif()
    exif[0x0112], exif[0x010F], exif[0x013B] = 6, "Maker", OWNER
    exif[0x8769] = {
        0x9003: "2026:02:01 10:00:00", 0xA405: 26, 0xA431: SERIAL, 0xA430: OWNER,
        0x927C: f"notes {SERIAL}".encode(),
    }  # fmt: skip
    exif[0x8825] = {1: "N", 2: (52.0, 30.0, 1.0), 3: "E", 4: (13.0, 2.0, 3.0)}
    if kind == "PNG":
        info = PngInfo()
        info.add_text("Author", OWNER)
        more["pnginfo"] = info
    else:
        more["xmp"] = f"<x:xmpmeta>{OWNER}</x:xmpmeta>".encode()
    made = io.BytesIO()
    image.save(made, kind, exif=exif, **more)
    return made.getvalue()


KINDS = {
    "JPEG": {"quality": 90},
    "JPEG, progressive": {"quality": 80, "progressive": True, "comment": OWNER.encode()},
    "PNG": {},
    "WEBP": {},
    "HEIF": {},
}


class WithoutPrivateTest(StudioCase):
    def test_each_kind_of_file(self):
        for name, more in KINDS.items():
            content = photographed(name.partition(",")[0], **more)
            clean = without_private(content)
            with self.subTest(kind=name):
                self.assertEqual(private_details(content), ALL)
                self.assertEqual(private_details(clean), ())
                for words in (OWNER, SERIAL):
                    self.assertNotIn(words.encode(), clean)
                before, after = (Image.open(io.BytesIO(one)) for one in (content, clean))
                # The picture is not packed again: every pixel is what it was.
                self.assertEqual(before.format, after.format)
                self.assertTrue(np.array_equal(before.convert("RGB"), after.convert("RGB")))
                facts, was = examine(clean, "a"), examine(content, "a")
                self.assertEqual((facts.width, facts.height), (was.width, was.height))
                self.assertEqual(facts.focal_length_35mm, 26)
                self.assertEqual(facts.taken_on, date(2026, 2, 1))

    def test_a_second_picture_behind_the_first_goes_too(self):
        content = photographed("JPEG", quality=80)
        clean = without_private(content + photographed("JPEG", quality=60))
        self.assertNotIn(OWNER.encode(), clean)
        self.assertLess(len(clean), len(content) + 100)

    def test_what_is_no_photo_is_refused(self):
        for content in (b"", b"text", b"\xff\xd8\xff\xe1\x00\x04", b"\x89PNG\r\n\x1a\n"):
            with self.assertRaises(BadInput):
                without_private(content)


class GivenAwayTest(StudioCase):
    def prepare(self):
        self.tree()
        content = photographed("JPEG", quality=90)
        [taken] = intake.take_in(self.studio, 1, [("one.jpg", content)], "crown")
        self.assertIsNotNone(taken.photo)

    def given(self, **said):
        path = self.folder / "out.zip"
        path.write_bytes(b"".join(give_out(self.studio, None, **said)))
        return path

    def test_an_exchange_file_holds_nothing_private_unless_one_says_so(self):
        for keep in (False, True):
            with zipfile.ZipFile(self.given(keep_details=keep)) as packed:
                [name] = [one for one in packed.namelist() if one.startswith("photos/")]
                content = packed.read(name)
                [row] = json.loads(packed.read("trees/1.json"))["photos"]
                header = json.loads(packed.read("exchange.json"))
            with self.subTest(keep=keep):
                self.assertEqual(private_details(content), ALL if keep else ())
                self.assertEqual(name, f"photos/{sha256(content).hexdigest()}")
                self.assertEqual(row["digest"], sha256(content).hexdigest())
                self.assertEqual(header["details"], "kept" if keep else "removed")
        # What is at home stays as it came.
        with self.studio.reading() as db:
            here = db.query(Photo).one()
        self.assertEqual(private_details(self.studio.photos.read(here.digest)), ALL)
        self.assertEqual(list(self.studio.folder.glob("given.*")), [])

    def test_it_comes_in_elsewhere_and_changes_nothing_back_home(self):
        path = self.given()
        found = take_in(self.studio, path)
        self.assertEqual((found.total.new, found.total.different, found.photos), (0, 0, set()))
        other = other_studio()
        self.addCleanup(other.close)
        take_in(other, path)
        with other.reading() as db:
            there = db.query(Photo).one()
        self.assertEqual(private_details(other.photos.read(there.digest)), ())
        self.assertTrue(other.photos.derivative(there.digest, "thumb").exists())
