"""Things of the shelf beside soil, and photos of pots."""

import io
from datetime import date

from PIL import Image

from mirvo.core.errors import BadInput
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.pot import Item
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot, keep_pot_photo
from mirvo.studio.shelf.supplies import (
    SupplyFields,
    drop_supply,
    less_stock,
    set_supply,
    supplies,
)
from mirvo.studio.yard.checkup import check_folder
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


def supply(name, stock, unit=""):
    return SupplyFields(supply_name=name, supply_unit=unit, supply_stock=stock)


class SuppliesTest(StudioCase):
    def test_what_is_there_has_not_to_be_got(self):
        set_supply(self.studio, supply("tie wire 2 mm", 3, "m"))
        set_supply(self.studio, supply("guy line", 9, "m"))
        wanted = [Item("tie wire 2 mm", 5.5, "m"), Item("guy line", 4, "m"), Item("moss", 2, "dm²")]
        left = less_stock(wanted, self.read(supplies))
        self.assertEqual(left, [Item("tie wire 2 mm", 2.5, "m"), Item("moss", 2, "dm²")])

    def test_a_recorded_session_counts_it_down_and_never_below_nothing(self):
        self.tree(trunk_mm=40)
        for stock in ((mesh := "mesh over the holes", 10), ("soft tube over roots", 1)):
            set_supply(self.studio, supply(*stock))
        record_session(self.studio, 1, SessionFields(kind="top-up", done_on=date(2026, 3, 1)))
        self.assertEqual(self.read(supplies)[0].stock, 10)
        record_session(self.studio, 1, SessionFields(kind="routine", done_on=date(2026, 3, 20)))
        stock = {one.name: one.stock for one in self.read(supplies)}
        self.assertLess(stock[mesh], 10)
        self.assertEqual(stock["soft tube over roots"], 0)

    def test_it_is_said_and_dropped_on_the_materials_page(self):
        pages = TestClient(create_app(self.studio))
        sent = {"supply_name": "guy line", "supply_stock": "4", "supply_unit": "m"}
        self.assertIn("Guy line", pages.post("/materials/supplies", data=sent).text)
        wrong = pages.post("/materials/supplies", data={**sent, "supply_unit": "furlong"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("not one of pieces", wrong.text)
        drop_supply(self.studio, self.read(supplies)[0].id)
        self.assertEqual(self.read(supplies), [])


class PotPhotoTest(StudioCase):
    def picture(self, shade):
        out = io.BytesIO()
        Image.new("RGB", (400, 300), (shade, 90, 60)).save(out, "JPEG")
        return out.getvalue()

    def test_a_photo_is_kept_shown_checked_and_gives_way_to_the_next(self):
        pot = add_pot(self.studio, PotFields(name="Tray", length_mm=300, width_mm=200, depth_mm=60))
        pages = TestClient(create_app(self.studio))
        place = f"/shelf/pots/{pot.id}/photo"
        sent = {"pot_photo": ("tray.jpg", self.picture(120), "image/jpeg")}
        self.assertIn("/photo/page.jpg", pages.post(place, files=sent).text)
        self.assertEqual(pages.get(f"{place}/page.jpg").status_code, 200)
        self.assertEqual(check_folder(self.studio).photos, 1)
        keep_pot_photo(self.studio, pot.id, "again.jpg", self.picture(200))
        files = [one for one in self.studio.photos.originals.rglob("*") if one.is_file()]
        self.assertEqual(len(files), 1)
        with self.assertRaises(BadInput):
            keep_pot_photo(self.studio, pot.id, "no.jpg", b"no photo")
        self.assertEqual(pages.post(place).status_code, 422)
