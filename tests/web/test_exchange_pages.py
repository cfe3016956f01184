"""Exchange in the browser's words: files, tables, dossier, the public page, several together."""

import io
import re
import threading
from datetime import date
from html import unescape
from unittest.mock import patch
from xml.etree import ElementTree

import pypdfium2
from PIL import Image

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.records.models.people import SHOWN_PARTS
from mirvo.studio.bench_session.session import begin
from mirvo.studio.exchange.experience import (
    drop_experience,
    experience_of_others,
    sources_of,
    take_experience,
)
from mirvo.studio.exchange.incoming import LOOKING, TAKING
from mirvo.studio.exchange.merging import Merge
from mirvo.studio.exchange.others import drop_file, files_of_others, keep_to_look_at, trees_in
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import set_target
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot
from mirvo.studio.shelf.soil import begin_with_usual, keep_recipe
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.shared_view import shared_view
from mirvo.studio.yard.sharing import share_tree
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase, other_studio


class PagesCase(StudioCase):
    def setUp(self):
        super().setUp()
        self.pages = TestClient(create_app(self.studio))

    def live(self):
        self.tree(
            name="Elm", acquired_on=date(2020, 1, 1), former_owners="a nursery", note="Hö & <so>"
        )
        photo, marks = self.photo(self.load_tree(1), taken_on=date(2026, 2, 1))
        save_marks(self.studio, photo.id, marks, 0)
        set_target(
            self.studio, 1, TargetFields(spread_ratio=2.2, largest_gap_deg=90, pot_depth_mm=60)
        )
        form = SessionFields(kind="routine", done_on=date(2026, 3, 20), found="White & tips")
        record_session(self.studio, 1, form)
        plan_path(self.studio, 1)
        return photo

    def other(self):
        studio = other_studio()
        self.addCleanup(studio.close)
        return studio

    def words_of(self, content):
        document = pypdfium2.PdfDocument(content)
        texts = [page.get_textpage().get_text_range() for page in document]
        document.close()
        return texts


class ExchangePageTest(PagesCase):
    def test_a_studio_goes_out_and_into_another_through_the_pages(self):
        self.live()
        sent = self.pages.post("/exchange/studio.zip").content
        other = self.other()
        there = TestClient(create_app(other))
        shown = there.post("/exchange/coming", files={"exchange": ("a.zip", sent)})
        self.assertIn("What it changes", shown.text)
        self.assertIn("Elm", shown.text)
        done = there.post("/exchange/coming/take", data={"otherwise": "theirs"})
        self.assertEqual(done.status_code, 200)
        self.assertIn("Elm", there.get("/trees").text)
        self.assertIn("/exchange", str(there.get("/exchange/coming").url))
        for place in ("/", "/trees/1", "/trees/1/path", "/shelf", "/almanac", "/exchange"):
            self.assertEqual(there.get(place).status_code, 200, place)

    def test_what_takes_a_while_is_watched_and_can_be_stopped(self):
        self.live()
        sent = self.pages.post("/exchange/studio.zip").content
        self.studio.jobs.patience_s = 0
        going, take = threading.Event(), Merge._take
        self.addCleanup(going.set)

        def slow(merge, *rows):
            going.wait(60)
            take(merge, *rows)

        with patch.object(Merge, "_take", slow):
            page = self.pages.post("/exchange/coming", files={"exchange": ("a.zip", sent)})
            job = page.url.path
            self.assertRegex(job, "^/jobs/")
            self.assertIn("<progress", page.text)
            self.assertIn(f'action="{job}/stop"', page.text)
            # Whoever works at the bench meanwhile waits for nothing: it is a trial on a copy.
            self.assertEqual(self.pages.post("/trees/1/waterings").status_code, 200)
            going.set()
            self.assertTrue(self.studio.jobs.named(LOOKING).wait(60))
            self.assertIn("What it changes", self.pages.get(job).text)
            before = self.read(load_tree, 1).version
            going.clear()
            taking = self.pages.post("/exchange/coming/take", data={"otherwise": "theirs"})
            self.assertIn("nothing else can be kept", taking.text)
            # Let on only once it is to stop, so that it never gets to its end.
            work = self.studio.jobs.named(TAKING)
            threading.Thread(target=lambda: (work._stopping.wait(60), going.set())).start()
            stopped = self.pages.post(f"{taking.url.path}/stop")
            self.assertEqual(stopped.url.path, "/exchange")
        self.assertEqual(self.read(load_tree, 1).version, before)
        self.assertIn("A file waits", self.pages.get("/exchange").text)

    def test_files_that_are_none_are_said_at_their_field(self):
        for place, name in (("coming", "exchange"), ("table", "table"), ("others", "others")):
            for files in ({name: ("a.zip", b"nothing")}, None):
                answer = self.pages.post(f"/exchange/{place}", files=files)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f'id="{name}-error"', answer.text)
        self.assertEqual(self.pages.post("/exchange/trees.zip").status_code, 422)

    def test_a_table_is_read_as_its_columns_are_said_to_mean(self):
        content = "Erste,Zweite\nElm,zelkova\nOak,nothing\n"
        page = self.pages.post("/exchange/table", files={"table": ("a.csv", content)}).text
        self.assertIn("Choose the column that holds", page)
        sent = {"kind": "trees", "sheet": "0", "guessed_of": "0-trees"}
        sent |= {"column-0": "name", "column-1": "species_key"}
        page = self.pages.post("/exchange/table/read", data=sent).text
        self.assertIn("Import", page)
        self.assertIn("The almanac has no species “nothing”", page)
        refused = self.pages.post("/exchange/table/take", data={**sent, "which": "all"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("row 3", refused.text)
        self.pages.post("/exchange/table/take", data={**sent, "which": "good"})
        self.assertEqual([row.tree.name for row in self.list_trees()], ["Elm"])


class DossierTest(PagesCase):
    def test_it_says_the_same_on_the_page_and_on_paper(self):
        self.live()
        page = self.pages.get("/trees/1/dossier").text
        paper = " ".join(self.words_of(self.pages.get("/trees/1/dossier.pdf").content))
        plain = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page))
        trunk = re.search(r"Trunk (\d+) mm ±(\d+)", plain)
        self.assertIn(f"{trunk[1]} mm ± {trunk[2]}", paper)
        for words in ("a nursery", "Where it is going", "Routine session", "2026"):
            self.assertIn(words, plain)
            self.assertIn(words, paper)
        self.assertIn("Hö & <so>", paper)
        self.assertIn("White & tips", paper)

    def test_a_tree_of_which_nothing_is_known_has_one_too(self):
        self.tree(name="Bare")
        self.assertEqual(self.pages.get("/trees/1/dossier").status_code, 200)
        [text] = self.words_of(self.pages.get("/trees/1/dossier.pdf").content)
        self.assertIn("Bare", text)
        self.assertEqual(self.pages.get("/trees/9/dossier.pdf").status_code, 404)

    def test_the_year_book_holds_what_was_done_in_its_year(self):
        self.live()
        self.assertIn("Routine session", self.pages.get("/yearbook/2026").text)
        self.assertIn("Nothing was recorded", self.pages.get("/yearbook/2019").text)
        paper = " ".join(self.words_of(self.pages.get("/yearbook/2026/book.pdf").content))
        self.assertIn("Elm", paper)
        for year in ("99", "99999", "x"):
            self.assertEqual(self.pages.get(f"/yearbook/{year}").status_code, 404)

    def test_drawings_and_figures_are_files_that_need_nothing_else(self):
        self.live()
        bench_id = begin(self.studio, 1, "routine").id
        pot = add_pot(self.studio, PotFields(name="Tray", length_mm=300, width_mm=200, depth_mm=50))
        mix = {"recipe_name": "Mix", "part-1": "2", "part-2": "1"}
        begin_with_usual(self.studio)
        recipe = keep_recipe(self.studio, "Mix", mix)
        found = {}
        for page in (
            "/trees/1?plan=drawing", "/trees/1/path", "/trees/1/plans",
            "/sessions/1", "/photos/1/desk", f"/bench-sessions/{bench_id}", "/trees/1/pot",
            f"/shelf/pots/{pot.id}", f"/shelf/soil/recipes/{recipe.id}?layer=10",
        ):  # fmt: skip
            shown = unescape(self.pages.get(page).text)
            linked = re.findall(r'href="([^"]*[?&]drawing=[a-z0-9-]+)[.]svg"', shown)
            self.assertTrue(linked, page)
            found |= {place.rpartition("=")[2]: place for place in linked}
        self.assertLessEqual(
            {"sheet", "ribbon", "record-wheel", "cuts", "fit", "wet", "wheel", "pot"},
            {name.partition("-wide")[0] for name in found},
        )
        for place in found.values():
            drawn = self.pages.get(f"{place}.svg").text
            root = ElementTree.fromstring(drawn)
            self.assertTrue(root.tag.endswith("svg"))
            for needed in ("var(", "href=", "/static/", "light-dark"):
                self.assertNotIn(needed, drawn)
            picture = Image.open(io.BytesIO(self.pages.get(f"{place}.png").content))
            # It has ink, and more than one colour of it.
            self.assertGreater(len(picture.convert("RGB").getcolors(1 << 24)), 5)
        for wrong in ("none.svg", "ribbon.gif", "ribbon", "<b>.svg"):
            self.assertEqual(self.pages.get(f"/trees/1?drawing={wrong}").status_code, 404)
        self.assertIn("Trunk (mm)", self.pages.get("/trees/1/figures.csv").text)
        self.assertIn("BEGIN:VEVENT", self.pages.get("/trees/1/calendar.ics").text)


class PublicPageTest(PagesCase):
    def test_it_shows_what_its_owner_chose(self):
        photo = self.live()
        secret = share_tree(self.studio, 1)
        shown = self.pages.get(f"/shared/{secret}").text
        for words in ("Root sessions", "Measured", "a nursery", "Where it is going"):
            self.assertIn(words, shown)
        chosen = {"part-drawing": "yes", "part-target": "yes"}
        self.pages.post("/sharing/trees/1/parts", data=chosen)
        shown = self.pages.get(f"/shared/{secret}").text
        for words in ("Root sessions", "<h2>Measured", "a nursery", "thumb.jpg"):
            self.assertNotIn(words, shown)
        self.assertIn("Where it is going", shown)
        hidden = self.pages.get(f"/shared/{secret}/{photo.id}/thumb.jpg")
        self.assertEqual(hidden.status_code, 404)

    def test_each_part_alone_shows_itself_and_nothing_else(self):
        photo = self.live()
        record_session(
            self.studio,
            1,
            SessionFields(done_on=date(2025, 3, 1), ball_depth_after=61, pot_after="blue tray"),
        )
        plan_path(self.studio, 1)
        secret = share_tree(self.studio, 1)
        signs = {
            "drawing": 'class="sheet-drawing"',
            "figures": "<h2>Measured",
            "photos": "thumb.jpg",
            "sessions": "<h2>Root sessions",
            "target": "<h2>Where it is going",
            "provenance": "a nursery",
        }
        # What a part that is not ticked would leave in a drawing or chart.
        traces = {
            "sessions": ("blue tray", "61 mm", 'class="stratum"'),
            "target": ('class="stratum-planned"', 'class="target', "show pot", "2.20"),
            "provenance": ("a nursery",),
            "photos": ("plan-photo",),
        }
        drawings = ("sheet", "sheet-phone", "years", "section", "paths")
        self.assertEqual(set(signs), set(SHOWN_PARTS))
        for part in signs:
            self.pages.post("/sharing/trees/1/parts", data={f"part-{part}": "yes"})
            place = f"/shared/{secret}"
            shown = self.pages.get(place)
            for name in ("no-store", "no-referrer", "noindex"):
                self.assertIn(name, str(dict(shown.headers)), name)
            files = {}
            for key in drawings:
                answer = self.pages.get(place, params={"drawing": f"{key}.svg"})
                files[key] = answer.text if answer.status_code == 200 else ""
            everything = shown.text + "".join(files.values())
            with self.subTest(part=part):
                self.assertEqual(bool(files["sheet"]), part == "drawing")
                self.assertEqual(bool(files["sheet-phone"]), part == "drawing")
                view = self.read(shared_view, secret, self.studio.today)
                charted = view.charted is not None
                self.assertEqual(charted, part == "figures")
                self.assertFalse(charted and (view.charted.target or view.charted.path))
                self.assertFalse(files["years"] and part != "figures")
                self.assertEqual((files["section"], files["paths"]), ("", ""))
                if part not in ("drawing",):
                    self.assertIn(signs[part], shown.text)
                for other in set(signs) - {part, "drawing"}:
                    self.assertNotIn(signs[other], everything, other)
                for other in set(traces) - {part}:
                    for trace in traces[other]:
                        self.assertNotIn(trace, "".join(files.values()), (other, trace))
            picture = self.pages.get(f"{place}/{photo.id}/thumb.jpg")
            self.assertEqual(picture.status_code, 200 if part == "photos" else 404)
            self.assertEqual(picture.headers["referrer-policy"], "no-referrer")


class TogetherTest(PagesCase):
    def test_trees_of_others_are_looked_at_and_never_mixed_in(self):
        self.live()
        other = self.other()
        file = io.BytesIO(b"".join(give_out(self.studio, [1])))
        name = keep_to_look_at(other, file)
        there = TestClient(create_app(other))
        page = there.get(f"/exchange/others/{name}").text
        self.assertIn("Elm", page)
        [digest] = re.findall(r"/([0-9a-f]{64})\.jpg", page)
        photo = there.get(f"/exchange/others/{name}/{digest}.jpg")
        self.assertEqual(photo.headers["content-type"], "image/jpeg")
        self.assertNotIn("Elm", there.get("/trees").text)
        self.assertEqual(len(trees_in(other, name)[1][0].sessions), 1)
        for wrong in ("..%2F..%2Fx", "none", "a" * 99):
            self.assertEqual(there.get(f"/exchange/others/{wrong}").status_code, 404)
        with self.assertRaises(BadInput):
            keep_to_look_at(self.studio, io.BytesIO(b"".join(give_out(self.studio, [1]))))
        drop_file(other, name)
        self.assertEqual(files_of_others(other), [])
        with self.assertRaises(NotFound):
            drop_file(other, name)

    def test_experience_goes_out_without_names_and_stands_beside_ones_own(self):
        for number in range(2):
            self.tree(name=f"Secret {number}", acquired_on=date(2010, 1, 1))
            for year in (2020, 2022):
                form = SessionFields(kind="routine", done_on=date(year, 3, 20))
                record_session(self.studio, number + 1, form)
        self.tree(name="Alone", species_key="privet")
        record_session(self.studio, 3, SessionFields(kind="routine", done_on=date(2022, 3, 1)))
        given = self.pages.get("/exchange/experience.json")
        self.assertNotIn("Secret", given.text)
        self.assertNotIn("2020", given.text)
        # One session would say whose it was.
        self.assertEqual([one["species"] for one in given.json()["species"]], ["zelkova"])
        self.assertEqual(given.json()["species"][0]["sessions"], 4)
        other = self.other()
        self.assertEqual(take_experience(other, given.content, "Saltgate"), 1)
        take_experience(other, given.content, "Saltgate")
        with other.reading() as db:
            self.assertEqual(sources_of(db), [("Saltgate", 1)])
            [taken] = experience_of_others(db, "zelkova")
        self.assertEqual((taken.sessions, taken.source), (4, "Saltgate"))
        there = TestClient(create_app(other))
        self.assertIn("Saltgate: 4 sessions", there.get("/almanac/species/zelkova").text)
        for content, source in ((b"{}", "x"), (given.content, " "), (b"", "x")):
            with self.assertRaises(BadInput):
                take_experience(other, content, source)
        drop_experience(other, "Saltgate")
        with other.reading() as db:
            self.assertEqual(sources_of(db), [])
