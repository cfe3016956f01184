"""Spreadsheets of different habits taken in, and tables given out that harm nothing."""

import io
import zipfile
from datetime import date

from openpyxl import Workbook, load_workbook
from sqlalchemy import select

from mirvo.core.almanac import species
from mirvo.core.errors import BadInput, NotFound
from mirvo.formats.spreadsheet import MARK, Sheet, read_tables, write_csv, write_xlsx
from mirvo.records.models import CareTask, Root, RootSession, ShelfPot, Tree
from mirvo.studio.exchange.table_fields import FIELDS, day_order, read_cell
from mirvo.studio.exchange.table_headings import guess, heading, likely_kind
from mirvo.studio.exchange.tables_in import (
    ALL,
    GOOD,
    Meant,
    drop_table,
    hold_table,
    take_table,
    try_table,
    waiting_table,
)
from mirvo.studio.exchange.tables_out import all_tables, table_of
from mirvo.studio.measuring.by_hand import by_hand
from tests.studio_case import StudioCase

# Semicolons, commas in numbers, days with dots, cm: as written on the continent.
CONTINENT = """Meine Liste;;;;
Name;Species;Acquired;Height (cm);Trunk (cm);Notes
Alte Ulme;Zelkova serrata;12.3.2015;43,5;4,2;von einem Freund
Ahorn;Acer polymorphum;2019;38;3,1;
Unbekannt;Blue wonder bush;1.4.2020;20;2;
"""
# Inches, month first, short words, a formula where a note should be.
OVERSEAS = """Tree name,Scientific name,Date acquired,Height (in),Health,Remarks
Old elm,Ulmus parvifolia 'Seiju',3/25/2014,17 1/2,good,"=HYPERLINK(""http://x"")"
Little pine,Pinus thunbergii,4/5/2018,9.5 in,weak,-
No date maple,trident maple,next spring,12,ok,
"""


def workbook(*sheets):
    book = Workbook()
    book.remove(book.active)
    for name, rows in sheets:
        page = book.create_sheet(name)
        for row in rows:
            page.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


class ReadingTest(StudioCase):
    def test_headings_as_people_write_them(self):
        self.assertEqual(heading("Trunk Diameter [cm]"), ("trunk diameter", "cm"))
        self.assertEqual(heading("height_mm"), ("height", "mm"))
        self.assertEqual(heading("Pot:"), ("pot", ""))
        found = guess("trees", ("Trunk note", "Tree", "Trunk", "Kind"))
        self.assertEqual(found, {1: "name", 2: "trunk_mm", 3: "species_key"})
        self.assertEqual(likely_kind(("Tree", "Repotted on", "Mix")), "sessions")
        self.assertEqual(likely_kind(("Pot", "Length", "Width", "Depth")), "pots")

    def test_days_with_slashes_tell_their_order_or_are_asked_for(self):
        self.assertEqual(day_order(["1/2/2020", "13/2/2020"]), "day")
        self.assertEqual(day_order(["1/2/2020", "2/13/2020"]), "month")
        self.assertEqual(day_order(["1/2/2020"]), "")

    def test_cells_as_people_write_them(self):
        fields = {one.key: one for kind in FIELDS.values() for one in kind}
        known = species()
        for key, cell, unit, wanted in (
            ("height_mm", "ca. 45", "cm", 450),
            ("height_mm", "2 ft", "", 609.6),
            ("height_mm", "17 1/2", "in", 444.5),
            ("trunk_mm", "4,2 cm", "", 42),
            ("acquired_on", "March 2015", "", date(2015, 3, 1)),
            ("acquired_on", "2015-03", "", date(2015, 3, 1)),
            ("acquired_on", "2015-03-04 00:00", "", date(2015, 3, 4)),
            ("acquired_on", 2015, "", date(2015, 1, 1)),
            ("share_judged", "1/3", "", 100 / 3),
            ("share_judged", 0.4, "", 40),
            ("share_judged", "40 %", "", 40),
            ("species_key", "Acer palmatum 'Deshojo'", "", "japanese-maple"),
            ("species_key", "trident maple", "", "trident-maple"),
            ("strength", "Very vigorous", "", "strong"),
            ("age_years", "30 years", "", 30),
        ):
            with self.subTest(key=key, cell=cell):
                found = read_cell(fields[key], cell, unit, "", known, date(2026, 11, 23))
                if isinstance(wanted, float):
                    self.assertAlmostEqual(found, wanted)
                else:
                    self.assertEqual(found, wanted)
        for key, cell in (("height_mm", "tall"), ("acquired_on", "3/4/2015"), ("strength", "blue")):
            with self.subTest(key=key, cell=cell), self.assertRaises(BadInput):
                read_cell(fields[key], cell, "", "", known, date(2026, 11, 23))

    def test_files_that_are_no_tables_are_refused_in_a_sentence(self):
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("xl/worksheets/sheet1.xml", b"0" * (201 << 20))
        for content, words in (
            (b"", "empty"),
            (b"\x00\x01\x02,\x00", "no text file"),
            (b"PK\x03\x04 and nothing", "damaged"),
            (b"\xd0\xcf\x11\xe0 old", "old workbook"),
            (b"one line only", "no heading row"),
            (bomb.getvalue(), "unpack to more"),
        ):
            with self.assertRaises(BadInput) as told:
                read_tables(content, "x.csv")
            self.assertIn(words, told.exception.message)

    def test_rows_are_numbered_as_the_file_numbers_them(self):
        [sheet] = read_tables("\n\nName,Species\n\nElm,zelkova\n".encode("utf-16"), "a.csv")
        self.assertEqual([(row.number, row.cells) for row in sheet.rows], [(5, ("Elm", "zelkova"))])


class TakingInTest(StudioCase):
    def send(self, content, name="list.csv"):
        content = content.encode() if isinstance(content, str) else content
        hold_table(self.studio, io.BytesIO(content), name)

    def trees(self):
        with self.studio.reading() as db:
            return {tree.name: tree for tree in db.scalars(select(Tree))}

    def test_a_list_from_the_continent(self):
        self.send(CONTINENT)
        found = try_table(self.studio, Meant())
        self.assertEqual((found.kind, len(found.good), len(found.bad)), ("trees", 2, 1))
        self.assertEqual(found.bad[0].number, 5)
        self.assertIn("The almanac has no species “Blue wonder bush”", found.bad[0].problem)
        self.assertEqual(self.trees(), {})
        with self.assertRaises(BadInput) as told:
            take_table(self.studio, Meant(), ALL)
        self.assertIn("row 5", told.exception.message)
        self.assertEqual(self.trees(), {})
        take_table(self.studio, Meant(), GOOD)
        elm, maple = self.trees()["Alte Ulme"], self.trees()["Ahorn"]
        self.assertEqual((elm.species_key, elm.acquired_on), ("zelkova", date(2015, 3, 12)))
        self.assertEqual((elm.height_mm, elm.trunk_mm, elm.note), (435, 42, "von einem Freund"))
        self.assertEqual(
            (maple.species_key, maple.acquired_on), ("japanese-maple", date(2019, 1, 1))
        )
        self.assertIsNone(waiting_table(self.studio))

    def test_a_list_from_overseas(self):
        self.send(OVERSEAS)
        found = try_table(self.studio, Meant())
        self.assertEqual([row.number for row in found.bad], [4])
        self.assertIn("“next spring” is no day", found.bad[0].problem)
        take_table(self.studio, Meant(), GOOD)
        elm, pine = self.trees()["Old elm"], self.trees()["Little pine"]
        self.assertEqual((elm.species_key, elm.acquired_on), ("chinese-elm", date(2014, 3, 25)))
        self.assertAlmostEqual(elm.height_mm, 17.5 * 25.4)
        self.assertEqual((elm.strength, pine.strength), ("strong", "weak"))
        self.assertAlmostEqual(pine.height_mm, 9.5 * 25.4)
        # A formula is only ever text.
        self.assertEqual(elm.note, '=HYPERLINK("http://x")')

    def test_a_workbook_of_sessions_and_pots(self):
        self.tree(name="Elm", acquired_on=date(2010, 1, 1))
        sessions = [
            ["Tree", "Repotted", "Kind", "Roots removed", "Mix"],
            ["elm", date(2020, 3, 15), "Repot", 0.4, "clay"],
            ["Elm", date(2024, 3, 10), "slip potted", None, None],
            ["Oak", date(2024, 3, 10), "repot", None, None],
            ["Elm", date(2031, 3, 10), "repot", None, None],
        ]
        pots = [
            ["Pot", "Shape", "Length (cm)", "Width (cm)", "Depth (cm)"],
            ["Tray", "Oval", 30, 20, 5],
        ]
        content = workbook(("Sessions", sessions), ("Pots", pots))
        self.send(content, "mine.xlsx")
        found = try_table(self.studio, Meant())
        self.assertEqual((found.kind, len(found.good)), ("sessions", 2))
        problems = {row.number: row.problem for row in found.bad}
        self.assertIn("no tree is called “Oak”", problems[4])
        self.assertIn("is in the future", problems[5])
        take_table(self.studio, Meant(), GOOD)
        with self.studio.reading() as db:
            first, second = db.scalars(select(RootSession).order_by(RootSession.done_on))
        self.assertEqual((first.kind, first.share_judged, first.soil), ("routine", 40, "clay"))
        self.assertEqual(second.kind, "slip-pot")
        self.send(content, "mine.xlsx")
        take_table(self.studio, Meant(sheet=1), GOOD)
        with self.studio.reading() as db:
            pot = db.scalar(select(ShelfPot))
        self.assertEqual((pot.shape, pot.length_mm, pot.depth_mm), ("oval", 300, 50))

    def test_columns_are_said_to_mean_something_else(self):
        self.send("First,Second,Third\nElm,zelkova,3/4/2020\n")
        found = try_table(self.studio, Meant(kind="trees"))
        self.assertEqual(found.missing, ["name", "species"])
        columns = {0: "name", 1: "species_key", 2: "acquired_on"}
        found = try_table(self.studio, Meant(kind="trees", columns=columns))
        self.assertIn("could be two days", found.bad[0].problem)
        take_table(self.studio, Meant(kind="trees", columns=columns, order="day"), GOOD)
        self.assertEqual(self.trees()["Elm"].acquired_on, date(2020, 4, 3))

    def test_what_is_here_already_is_left_as_it_is(self):
        self.tree(name="Elm", note="mine")
        self.send("Name,Species,Note\nELM,privet,theirs\nOak,english oak,\n")
        found = try_table(self.studio, Meant())
        self.assertEqual([row.number for row in found.known], [2])
        take_table(self.studio, Meant(), ALL)
        self.assertEqual(self.trees()["Elm"].note, "mine")
        self.assertIn("Oak", self.trees())

    def test_figures_by_hand_roots_and_tasks(self):
        self.tree(name="Elm", trunk_mm=None)
        table = "Tree,Date,Trunk (cm),Nebari\nElm,May 2020,3.1,4 cm\nElm,May 2015,2.2,\n"
        self.send(table)
        take_table(self.studio, Meant(kind="measurements"), ALL)
        self.assertEqual(self.trees()["Elm"].trunk_mm, 31)
        kept = [
            (row.measured_on.year, row.trunk_mm, row.spread_mm) for row in self.read(by_hand, 1)
        ]
        self.assertEqual(kept, [(2015, 22, None), (2020, 31, 40)])
        # The same table once more, and what goes out, say nothing new.
        self.send(table)
        found = try_table(self.studio, Meant(kind="measurements"))
        self.assertEqual((len(found.good), len(found.known)), (0, 2))
        self.send(
            "Tree,Letter,First seen,Removed\nElm,A,2015-05-01,2020-03-01\nElm,B,2015-05-01,\n"
        )
        take_table(self.studio, Meant(), ALL)
        self.send("Tree,Task,Due\nElm,Wire off the first branch,12 mar 2027\n")
        take_table(self.studio, Meant(), ALL)
        with self.studio.reading() as db:
            roots = {one.label: one.gone_on for one in db.scalars(select(Root))}
            task = db.scalar(select(CareTask))
        self.assertEqual(roots, {"A": date(2020, 3, 1), "B": None})
        self.assertEqual((task.text, task.due), ("Wire off the first branch", date(2027, 3, 12)))

    def test_a_table_that_waits_can_be_left(self):
        self.send(CONTINENT)
        self.assertEqual(waiting_table(self.studio), "list.csv")
        drop_table(self.studio)
        with self.assertRaises(NotFound):
            try_table(self.studio, Meant())


class GivingOutTest(StudioCase):
    def test_no_cell_is_a_formula(self):
        nasty = ("=1+1", "+1", "@x", "-cmd|' /C calc'!A0", "\t=x")
        sheet = Sheet("Nasty", ("Word", "Number"), [(word, -3.5) for word in nasty])
        page = load_workbook(io.BytesIO(write_xlsx([sheet])))["Nasty"]
        for row in page.iter_rows(min_row=2):
            self.assertEqual([cell.data_type for cell in row], ["s", "n"])
        said = write_csv(sheet).decode("utf-8-sig").splitlines()[1:]
        self.assertTrue(
            all(line.startswith((MARK, '"' + MARK)) for line in said if "+1," not in line)
        )
        [back] = read_tables(write_csv(sheet), "nasty.csv")
        self.assertEqual(back.rows[0].cells[0], "=1+1")

    def test_tables_come_in_again_as_they_went_out(self):
        self.tree(name="Elm", trunk_mm=40, height_mm=400, acquired_on=date(2020, 1, 2))
        with self.studio.reading() as db:
            names = [sheet.name for sheet in all_tables(db, self.studio.today)]
            content = write_csv(table_of(db, "trees", self.studio.today))
        self.assertEqual(names, ["Trees", "Sessions", "Measurements", "Roots", "Tasks", "Pots"])
        hold_table(self.studio, io.BytesIO(content), "trees.csv")
        found = try_table(self.studio, Meant())
        self.assertEqual((len(found.known), found.bad), (1, []))
        says = {column.title: column.means for column in found.columns}
        self.assertEqual((says["Height (mm)"], says["Came on"]), ("height_mm", "acquired_on"))
        with self.studio.reading() as db, self.assertRaises(NotFound):
            table_of(db, "people", self.studio.today)
