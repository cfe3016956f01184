"""Photos taken in: what is refused, what is read from them, smaller copies."""

import io
import struct
import zlib
from datetime import date

import cv2
import numpy as np
from PIL import Image, ImageOps

from mirvo.standins.base import random_base
from mirvo.standins.camera import Camera
from mirvo.standins.photo import CardPlace, Layout, take_photo
from mirvo.studio.photos.intake import take_in
from mirvo.studio.photos.shots import from_above
from mirvo.studio.photos.simulated import take, truth_of
from tests.studio_case import StudioCase


def jpeg(size=(640, 480), **options):
    out = io.BytesIO()
    Image.new("RGB", size, (120, 110, 90)).save(out, options.pop("format", "JPEG"), **options)
    return out.getvalue()


def chunk(name, content):
    """One part of a PNG file."""
    body = name + content
    return struct.pack(">I", len(content)) + body + struct.pack(">I", zlib.crc32(body))


class PhotosTest(StudioCase):
    def test_a_poor_photo_goes_in_and_says_at_once_what_is_wrong(self):
        tree = self.tree()
        sharp = np.random.default_rng(1).integers(0, 2, (30, 40, 1)) * np.array([150, 140, 120])
        picture = np.kron(sharp.astype(np.uint8) + 40, np.ones((40, 40, 1), np.uint8))
        out = io.BytesIO()
        Image.fromarray(cv2.GaussianBlur(picture, (0, 0), 6.0)).save(out, "PNG")
        [top] = take_in(self.studio, tree.id, [("soft.png", out.getvalue())], "top")
        self.assertEqual(top.remarks[0].about, "blurred")
        self.assertIn("focus", top.remarks[0].text)
        # The desk says the same before anyone marks it.
        self.assertEqual(self.open_desk(top.photo.id).remarks, top.remarks)
        # What is only kept is not judged.
        [kept] = take_in(self.studio, tree.id, [("wound.jpg", jpeg((400, 300)))], "wound")
        self.assertEqual(kept.remarks, ())

    def test_a_card_of_no_use_is_said_and_none_at_all_is_not(self):
        camera = Camera(1600, 1200, 600.0, 6.0, 0.0, 0.0, (0.0, -80.0), 26.0)
        photo = take_photo(random_base(3), camera, date(2026, 3, 1), Layout(card=CardPlace()))
        mirrored = io.BytesIO()
        ImageOps.mirror(Image.open(io.BytesIO(photo))).save(mirrored, "JPEG")
        sent = [("selfie.jpg", mirrored.getvalue()), ("bare.jpg", jpeg((1600, 1200)))]
        selfie, bare = take_in(self.studio, self.tree().id, sent, "top")
        said = [remark.text for remark in selfie.remarks if remark.about == "card"]
        self.assertEqual(len(said), 1)
        self.assertTrue(said[0].startswith("The card is seen mirrored; "), said)
        self.assertNotIn("card", [remark.about for remark in bare.remarks])

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
        [(photo, _)] = take(self.studio, tree.id, from_above)
        known = truth_of(self.studio, photo)
        self.assertEqual(photo.focal_length_35mm, 48)
        self.assertGreater(known["figures"]["trunk_diameter_mm"], 30)
