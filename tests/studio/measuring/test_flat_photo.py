"""A measured photo laid flat: to scale, kept until its marks change."""

import io

import numpy as np
from PIL import Image

from mirvo.core.errors import NotFound
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.flat_photo import AROUND_BASE, BASE_SIDE_PX, base_photo
from mirvo.studio.standing.tree_queries import measurements_of
from tests.studio_case import StudioCase


class FlatPhotoTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.photo_row, self.marks = self.photo(self.tree())
        save_marks(self.studio, self.photo_row.id, self.marks, 0)
        [self.row] = self.read(measurements_of, 1)

    def base(self, measurement_id=1):
        with self.studio.reading() as db:
            return base_photo(db, self.studio, measurement_id)

    def test_it_is_square_and_the_trunk_stands_in_its_middle(self):
        picture = np.asarray(Image.open(io.BytesIO(self.base().read_bytes())).convert("L"), float)
        self.assertEqual(picture.shape, (BASE_SIDE_PX, BASE_SIDE_PX))
        # The cut top of a simulated trunk is the brightest thing about its middle.
        px_per_mm = BASE_SIDE_PX / (2 * AROUND_BASE * self.row.top.frame_mm)
        radius = self.row.top.trunk_diameter_mm.value / 2 * px_per_mm
        middle = (BASE_SIDE_PX - 1) / 2
        down, right = np.mgrid[:BASE_SIDE_PX, :BASE_SIDE_PX]
        away = np.hypot(down - middle, right - middle)
        inside = picture[away < 0.5 * radius].mean()
        around = picture[(away > 1.6 * radius) & (away < 2.2 * radius)].mean()
        self.assertGreater(abs(inside - around), 15)

    def test_it_is_kept_until_the_marks_change(self):
        first = self.base()
        self.assertEqual(self.base(), first)
        save_marks(self.studio, self.photo_row.id, {**self.marks, "front": [300.0, 590.0]}, 1)
        second = self.base()
        self.assertNotEqual(second, first)
        # The older one is cleared away, and so is this when the photo is forgotten.
        self.assertFalse(first.exists())
        self.studio.photos.forget(self.photo_row.digest)
        self.assertFalse(second.exists())

    def test_a_measurement_there_is_not_is_not_found(self):
        with self.assertRaises(NotFound):
            self.base(99)
