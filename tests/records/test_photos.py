"""Pictures made to harm, and damaged ones: told in a sentence before they cost anything."""

import io
import random
import struct
import threading
import time
import unittest
import zlib

import numpy as np
from PIL import Image, ImageOps
from PIL.TiffImagePlugin import IFDRational

from mirvo.core.errors import BadInput
from mirvo.records.photos import examine
from mirvo.records.pictures import SIZES, colour_of, grey_of, size_said, smaller

ORIENTATION, DETAIL, FOCAL, TAKEN, MAKER = 0x0112, 0x8769, 0xA405, 0x9003, 0x010F


def picture(size=(640, 480)):
    rng = np.random.default_rng(3)
    return Image.fromarray(rng.integers(0, 255, (size[1], size[0], 3), np.uint8))


def packed(image, kind="JPEG", **options):
    out = io.BytesIO()
    if kind == "HEIF":
        from pillow_heif import register_heif_opener

        register_heif_opener()
    image.save(out, kind, **options)
    return out.getvalue()


def png_claiming(width, height):
    """A PNG of a few hundred bytes that says it is as large as that."""

    def chunk(name, content):
        return (
            struct.pack(">I", len(content))
            + name
            + content
            + struct.pack(">I", zlib.crc32(name + content))
        )

    head = struct.pack(">IIBBBBB", width, height, 16, 6, 0, 0, 0)
    row = zlib.compress(bytes(1000))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", row) + chunk(b"IEND", b"")


class BombTest(unittest.TestCase):
    def refused(self, content, words):
        with self.assertRaises(BadInput) as said:
            examine(content, "photo.png")
        self.assertIn(words, str(said.exception))

    def test_what_claims_more_than_it_can_hold(self):
        self.refused(png_claiming(10_000, 10_000), "far too small")
        self.refused(png_claiming(200, 599_999), "too long and narrow")
        self.refused(png_claiming(12_000, 12_000), "megapixels")
        self.refused(png_claiming(400_000, 400_000), "megapixels")
        self.refused(png_claiming(100, 100), "too small to measure")

    def test_a_photo_built_up_in_endless_passes(self):
        whole = packed(picture(), progressive=True)
        at = whole.index(b"\xff\xda")
        end = whole.index(b"\xff\xda", at + 2)
        self.refused(whole[:end] + whole[at:end] * 2000 + whole[end:], "far too many passes")
        self.assertEqual(examine(whole, "a.jpg").width, 640)

    def test_moving_pictures(self):
        for kind in ("PNG", "WEBP"):
            frames = [picture(), picture().rotate(90)]
            content = packed(frames[0], kind, save_all=True, append_images=frames[1:])
            self.refused(content, "moving picture")

    def test_large_ones_are_opened_one_at_a_time(self):
        content = packed(picture((640, 480)).resize((5000, 4000)), quality=60)
        inside, most = [], []
        load = Image.Image.convert

        def counted(image, *arguments):
            inside.append(1)
            most.append(len(inside))
            time.sleep(0.02)
            done = load(image, *arguments)
            inside.pop()
            return done

        Image.Image.convert = counted
        try:
            asked = [threading.Thread(target=grey_of, args=(content,)) for _ in range(4)]
            for one in asked:
                one.start()
            for one in asked:
                one.join()
        finally:
            Image.Image.convert = load
        self.assertEqual(max(most), 1)


class RubbishTest(unittest.TestCase):
    def test_rubbish_in_what_the_camera_wrote_says_nothing(self):
        for orientation, focal, taken in (
            (99, IFDRational(0, 0), "0000:00:00"),
            ("up", "wide", b"\xff\xfe"),
            (0, IFDRational(-1, 1), "yesterday"),
            (6, 1e300, "2026:13:45 99"),
        ):
            exif = Image.Exif()
            exif[ORIENTATION] = orientation
            exif.get_ifd(DETAIL).update({FOCAL: focal, TAKEN: taken})
            try:
                content = packed(picture(), exif=exif)
            except Exception:
                continue  # some rubbish cannot even be written
            facts = examine(content, "a.jpg")
            with self.subTest(orientation=orientation):
                self.assertIsNone(facts.taken_on)
                self.assertIsNone(facts.focal_length_35mm)
                self.assertEqual(colour_of(content).shape[:2], (facts.height, facts.width))
                self.assertIsNone(size_said(content))
                self.assertEqual(len(smaller(content)), 3)

    def test_every_orientation_is_turned_as_it_says(self):
        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[ORIENTATION] = orientation
            content = packed(picture((300, 220)), "PNG", exif=exif)
            upright = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(content))))
            np.testing.assert_array_equal(colour_of(content), upright)
            facts = examine(content, "a.png")
            self.assertEqual((facts.height, facts.width), upright.shape[:2])

    def test_smaller_pictures_stand_upright_and_say_nothing_of_their_file(self):
        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[ORIENTATION] = orientation
            exif[MAKER] = "a camera nobody shall hear of"
            remark = b"where it was taken"
            coarse = picture((13, 9)).resize((1300, 900))
            content = packed(coarse, exif=exif, comment=remark, icc_profile=b"blue")
            upright = ImageOps.exif_transpose(Image.open(io.BytesIO(content)))
            for name, small in smaller(content).items():
                with self.subTest(orientation=orientation, size=name):
                    image = Image.open(io.BytesIO(small))
                    self.assertEqual(max(image.size), min(SIZES[name], max(upright.size)))
                    usual = np.asarray(upright.resize(image.size, Image.Resampling.BOX), float)
                    self.assertLess(np.abs(np.asarray(image, float) - usual).mean(), 4.0)
                    for said in (b"Exif", b"camera", b"taken", b"ICC_PROFILE"):
                        self.assertNotIn(said, small)

    def test_sixteen_bits_of_grey_are_not_clipped_to_white(self):
        levels = np.linspace(0, 65535, 300 * 400).reshape(300, 400).astype(np.uint16)
        content = packed(Image.fromarray(levels), "PNG")
        for seen in (grey_of(content), colour_of(content)[..., 1]):
            np.testing.assert_allclose(seen, levels / 256, atol=1)

    def test_damaged_files_of_every_kind_are_told_in_a_sentence(self):
        chance = random.Random(5)
        for kind in ("JPEG", "PNG", "WEBP", "HEIF"):
            whole = packed(picture((320, 240)), kind)
            for _ in range(40):
                broken = bytearray(whole[: chance.randrange(20, len(whole) + 1)])
                for _ in range(chance.randrange(1, 30)):
                    broken[chance.randrange(len(broken))] = chance.randrange(256)
                try:
                    examine(bytes(broken), "a")
                except BadInput as error:
                    self.assertNotIn("Traceback", str(error))


if __name__ == "__main__":
    unittest.main()
