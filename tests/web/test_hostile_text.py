"""Text and numbers no one types: they neither break a page now nor when the page is seen again."""

import json

from mirvo.core.errors import BadInput, Damaged
from mirvo.core.rootwork.bench import fields_for
from mirvo.core.typed_values import plain, plain_text
from mirvo.studio.standing.species import add_entry, lay_aside
from mirvo.studio.yard.compost import lay_on_heap
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

NASTY = (
    *("\ud800", "roots\ud800", "\x00", "\x1b[31m", "\u202e", "x" * 5000, "²", "٣", "1e308"),
    *(1e308, float("nan"), float("inf"), 10**400, -1, 0, True, None, [1], {"a": 1}, [[]]),
)
PARTS = (
    {"decision": "keep", "why": "\ud800"},
    {"decision": "cut", "part": float("nan"), "why": "\x00"},
    {"feeds": ["\ud800", "\u202e"]},
)


class PlainTextTest(StudioCase):
    def test_what_no_one_can_type_is_left_out(self):
        self.assertEqual(plain_text("a\ud800b\x00c\u202ed\te\n"), "abcd\te\n")
        self.assertEqual(plain_text("Quay privet, 柳 – ½ é"), "Quay privet, 柳 – ½ é")
        self.assertEqual(plain({"a\x00": ["\ud800", 1, None]}), {"a": ["", 1, None]})


class HostileTextTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.tree()

    def opens(self, *paths):
        for path in paths:
            with self.subTest(path=path):
                self.assertEqual(self.client.get(path).status_code, 200)

    def test_numbers_no_one_types_in_addresses_and_fields(self):
        for text in ("²", "٣", "½", "9" * 4400, "1e308", "nan", "-1", "1.2.3"):
            self.opens(f"/trees/1/time?days_between={text}", f"/trees/1/plans?plan={text}")
            with self.subTest(text=text[:9]):
                sent = {"done_on": "2026-03-20", "part:A": text, "A": text}
                for place in ("/trees/1/sessions", "/trees/1/regrowth", "/trees/1/sessions/share"):
                    self.assertLess(self.client.post(place, data=sent).status_code, 500)

    def test_every_field_of_a_session_at_the_bench(self):
        place = self.client.post("/trees/1/bench-sessions", data={"kind": "routine"}).url.path
        number = int(place.split("/")[2])
        fields = [*fields_for("routine"), "root:A", "seen:A", "waits:A", "done:lift"]
        fields += ["root:\ud800", "seen:\x00", "nothing", "done:" + "x" * 400, ""]
        told = 0
        for field in fields:
            entries = [
                {"id": f"entry-{told + i:06}", "field": field, "value": value, "at": value}
                for i, value in enumerate((*NASTY, *PARTS))
            ]
            told += len(entries)
            answer = self.client.post(
                f"/bench-sessions/{number}/entries",
                content=json.dumps({"entries": entries}),
                headers={"content-type": "application/json", "accept": "application/json"},
            )
            self.assertEqual(answer.status_code, 200, field)
            said = answer.json()
            self.assertEqual(len(said["kept"]) + len(said["refused"]), len(entries))
            self.opens(place)
        self.assertEqual(self.client.post(f"{place}/close", data={}).status_code, 200)
        self.opens("/", "/trees", "/trees/1", "/trees/1/time", "/almanac/practice", "/kit")

    def test_forms_of_a_tree_and_what_is_sent_by_scripts(self):
        form = {"name": "Quay privet", "species_key": "privet", "origin": "nursery"}
        for text in ("\ud800", "a\ud800b", "\x00", "\u202emirror", "x" * 5000, "９" * 4400):
            body = "&".join(
                f"{name}={value}" for name, value in {**form, "reading": "%ED%A0%80%00"}.items()
            )
            for name in ("name", "story", "understock", "place"):
                sent = {**form, name: text.encode("utf-8", "surrogatepass")}
                answer = self.client.post("/trees", data=sent)
                self.assertIn(answer.status_code, (200, 422), name)
            kind = {"content-type": "application/x-www-form-urlencoded"}
            self.assertLess(self.client.post("/trees", content=body, headers=kind).status_code, 500)
            self.opens("/", "/trees", "/find?q=a")

    def test_json_nested_beyond_reading(self):
        for path in ("/bench-sessions/1/entries", "/photos/1/assist/edge"):
            for body in ("[" * 100_000, '{"entries": ' + "[" * 50_000, "9" * 5000, '"\\ud800"'):
                answer = self.client.post(
                    path, content=body, headers={"content-type": "application/json"}
                )
                self.assertIn(answer.status_code, (400, 404, 422))

    def test_poison_that_lay_in_the_records_already(self):
        self.client.post("/trees/1/bench-sessions", data={"kind": "routine"})
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            for number, field in enumerate(fields_for("routine")):
                connection.exec_driver_sql(
                    "INSERT INTO bench_entries "
                    "(id, bench_session_id, number, field, value, entered_at) VALUES "
                    f"('poisoned-{number}', 1, {number}, '{field}', '\"\\ud800\"', "
                    "'2026-11-23 09:00:00')"
                )
        self.opens("/", "/bench-sessions/1", "/trees/1")
        answer = self.client.post("/bench-sessions/1/close", data={})
        self.assertIn(answer.status_code, (200, 422))
        self.opens("/", "/trees/1", "/trees/1/time")


class DamagedListTest(StudioCase):
    def test_what_cannot_be_read_is_not_written_over(self):
        add_entry(self.studio, "Quay thorn", "privet")
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            connection.exec_driver_sql("UPDATE yard SET own_species = substr(own_species, 1, 60)")
        client = TestClient(create_app(self.studio))
        self.assertEqual(client.get("/almanac").status_code, 200)
        with self.assertRaises(Damaged) as said:
            add_entry(self.studio, "Ferry thorn", "privet")
        self.assertIn("kept as they are", str(said.exception))
        with self.studio.engine.connect() as connection:
            kept = connection.exec_driver_sql("SELECT own_species FROM yard").scalar()
        self.assertIn("own-quay-thorn", kept)
        self.assertNotIn("ferry", kept)


class UnknownSpeciesTest(StudioCase):
    """A tree whose species the almanac lost is seen everywhere, and treated with care."""

    def test_a_species_that_is_no_more(self):
        client = TestClient(create_app(self.studio))
        self.tree()
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            connection.exec_driver_sql("UPDATE trees SET species_key = 'own-gone'")
        for path in ("/", "/trees", "/trees/1", "/trees/1/edit", "/kit", "/almanac", "/find?q=a"):
            with self.subTest(path=path):
                self.assertEqual(client.get(path).status_code, 200)
        self.assertIn("unknown species", client.get("/trees/1").text)

    def test_an_own_species_is_not_laid_aside_while_its_tree_lies_on_the_heap(self):
        key = add_entry(self.studio, "Quay thorn", "privet")
        tree = self.tree(species_key=key)
        lay_on_heap(self.studio, "tree", tree.id)
        with self.assertRaises(BadInput) as said:
            lay_aside(self.studio, key)
        self.assertIn("can still be restored", str(said.exception))
        client = TestClient(create_app(self.studio))
        for path in ("/", "/trees", "/kit", "/almanac"):
            self.assertEqual(client.get(path).status_code, 200)
