"""The interface for programs: what it gives, takes and refuses; fuzzed without a server error."""

import io
import re
import tempfile
from datetime import UTC, date, timedelta
from pathlib import Path

import hypothesis
import schemathesis
from PIL import Image

from mirvo.core.errors import BadInput
from mirvo.standins.instruments import BenchCamera, Line, Scale, Thermometer
from mirvo.standins.weather import SimulatedStation
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.exchange.tokens import SCOPES, caller_of, make_token, tokens, withdraw_token
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.weather import nights_near
from mirvo.studio.yard.compost import lay_on_heap
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

ROOT = "/api/v1"


class ApiCase(StudioCase):
    def setUp(self):
        super().setUp()
        self.app = create_app(self.studio)
        self.client = self.client_with(*SCOPES)

    def client_with(self, *scopes):
        client = TestClient(self.app, base_url=f"http://testserver{ROOT}")
        token = make_token(self.studio, "script", list(scopes))
        client.headers["Authorization"] = f"Bearer {token}"
        return client


class ReadingTest(ApiCase):
    def test_lists_come_page_by_page(self):
        for number in range(5):
            self.tree(name=f"Tree {number}")
        lay_on_heap(self.studio, "tree", 3)
        names, after = [], 0
        while after is not None:
            page = self.client.get("/trees", params={"limit": 2, "after": after}).json()
            names += [tree["name"] for tree in page["items"]]
            self.assertLess(len(names), 20, "it never comes to an end")
            after = page["next"]
        self.assertEqual(names, ["Tree 0", "Tree 1", "Tree 3", "Tree 4"])
        self.assertEqual(self.client.get("/trees/3").status_code, 404)

    def test_it_says_of_a_tree_what_its_pages_say(self):
        self.tree()
        photo, marks = self.photo(self.load_tree(1))
        save_marks(self.studio, photo.id, marks, 0)
        said = self.client.get("/trees/1/standing").json()
        stands = self.read(standing_of, 1, self.studio.today)
        self.assertEqual(said["verdict"], stands.usual_verdict.kind)
        self.assertEqual(said["window_from"], stands.standing.next_window.start.isoformat())
        [measured] = self.client.get("/trees/1/measurements").json()["items"]
        self.assertGreater(measured["trunk_diameter_mm"]["plus_minus"], 0)
        self.assertEqual(measured["photo_id"], photo.id)
        self.assertEqual(len(self.client.get("/trees/1/photos").json()["items"]), 1)
        self.assertTrue(self.client.get("/trees/1/roots").json()["items"])

    def test_it_describes_itself(self):
        described = self.client.get("/openapi.json").json()
        self.assertTrue(described["openapi"].startswith("3.1"))
        self.assertIn("/trees/{tree_id}/sessions", described["paths"])


class WritingTest(ApiCase):
    def test_a_tree_its_session_and_its_task(self):
        tree = {"name": "Elm", "species_key": "zelkova", "tags": ["sea"]}
        made = self.client.post("/trees", json=tree)
        self.assertEqual((made.status_code, made.json()["tags"]), (201, ["sea"]))
        session = {"kind": "routine", "done_on": "2026-03-20", "ball_depth_before": 70}
        kept = self.client.post("/trees/1/sessions", json=session).json()
        self.assertGreater(kept["budget"], 0)
        task = {"text": "wire off", "due": "2027-01-04"}
        number = self.client.post("/trees/1/tasks", json=task).json()["id"]
        done = self.client.put(f"/tasks/{number}", json={"done": True}).json()
        self.assertIsNotNone(done["done_at"])
        pot = {"name": "Tray", "length_mm": 300, "width_mm": 200, "depth_mm": 60}
        self.assertEqual(self.client.post("/pots", json=pot).status_code, 201)
        self.assertEqual(self.client.get("/pots").json()["items"][0]["name"], "Tray")

    def test_two_that_change_a_tree_do_not_overwrite_each_other(self):
        self.tree(name="Elm")
        tree = {"name": "Elm by the sea", "species_key": "zelkova"}
        first = self.client.put("/trees/1", params={"version": 1}, json=tree)
        self.assertEqual((first.status_code, first.json()["version"]), (200, 2))
        self.assertEqual(
            self.client.put("/trees/1", params={"version": 1}, json=tree).status_code, 409
        )

    def test_refusals_are_problem_details(self):
        answers = (
            (self.client.post("/trees", json={"name": "", "species_key": "x"}), 422),
            (self.client.post("/trees", json={"name": "A", "species_key": "x"}), 422),
            (self.client.get("/trees/99"), 404),
            (self.client.get("/trees/99999999999999999999"), 422),
            (self.client.get("/nothing"), 404),
            (self.client.delete("/trees"), 405),
            (self.client.post("/trees/1/sessions", content=b"[" * 90_000), 422),
        )
        for answer, status in answers:
            with self.subTest(answer.url):
                self.assertEqual(answer.status_code, status)
                self.assertEqual(answer.headers["content-type"], "application/problem+json")
                said = answer.json()
                self.assertEqual(said["status"], status)
                self.assertTrue(said["title"] and said["detail"])
        self.assertEqual(answers[1][0].json()["errors"][0]["field"], "species_key")


class TokenTest(ApiCase):
    def test_only_what_a_token_may(self):
        self.tree()
        bare = TestClient(self.app, base_url=f"http://testserver{ROOT}")
        self.assertEqual(bare.get("/trees").status_code, 401)
        self.assertEqual(bare.get("/trees").headers["www-authenticate"], "Bearer")
        bare.headers["Authorization"] = "Bearer mirvo_made-up"
        self.assertEqual(bare.get("/trees").status_code, 401)
        nights = self.client_with("nights")
        self.assertEqual(nights.get("/trees").status_code, 403)
        self.assertEqual(nights.post("/trees", json={}).status_code, 403)
        said = {"night": "2026-11-22", "low_c": -2.5}
        self.assertEqual(nights.put("/nights", json=said).status_code, 200)
        self.assertEqual(self.client_with("read").put("/nights", json=said).status_code, 403)

    def test_a_withdrawn_token_opens_nothing(self):
        [token] = self.read(tokens)
        self.assertEqual(self.client.get("/trees").status_code, 200)
        self.assertIsNotNone(self.read(tokens)[0].used_at)
        withdraw_token(self.studio, token.id)
        self.assertEqual(self.client.get("/trees").status_code, 401)

    def test_it_is_shown_once_and_not_kept(self):
        pages = TestClient(self.app)
        sent = {"token_name": "Thermometer", "may-nights": "yes"}
        shown = pages.post("/exchange/tokens", data=sent)
        token = re.search(r"mirvo_[\w-]+", shown.text)[0]
        self.assertEqual(caller_of(self.studio, token).scopes, frozenset(["nights"]))
        self.assertNotIn(token, pages.get("/exchange").text)
        self.assertNotIn(token.encode(), (self.studio.folder / "mirvo.sqlite3").read_bytes())
        self.assertEqual(pages.post("/exchange/tokens", data={"token_name": "x"}).status_code, 422)
        for name, scopes in (("", ["read"]), ("x", [])):
            with self.assertRaises(BadInput):
                make_token(self.studio, name, scopes)


class InstrumentsTest(ApiCase):
    """Over a real socket, as instruments do."""

    def setUp(self):
        super().setUp()
        from tests.web.api.served import serve

        self.address = serve(self, self.app)

    def line(self, *scopes):
        return Line(self.address, make_token(self.studio, "instrument", list(scopes)))

    def test_a_thermometer_writes_its_nights(self):
        instrument = Thermometer(self.line("nights"), SimulatedStation("Brackwater", "04-20"))
        for back in range(3):
            instrument.write(self.studio.today - timedelta(days=back))
        nights, source = self.read(nights_near, self.studio.today)
        self.assertEqual((len(nights), source), (3, "thermometer"))

    def test_a_scale_writes_into_the_session_that_runs(self):
        self.tree()
        scale = Scale(self.line("weighings"))
        with self.assertRaises(OSError) as told:
            scale.write(1, "offcuts", 340)
        self.assertEqual(told.exception.code, 409)
        told.exception.close()
        bench = begin(self.studio, 1, "routine")
        scale.write(1, "offcuts", 340)
        scale.write(1, "ball", 1210)
        entered = self.read(bench_state, bench.id).answers
        self.assertEqual((entered["offcuts_g"], entered["ball_g"]), (340, 1210))

    def test_a_scale_weighs_a_tree_in_its_pot(self):
        self.tree()
        scale = Scale(self.line("weighings"))
        self.assertIsNone(scale.weigh_pot(1, 2400)["grams_a_day"])
        later = self.studio.now + timedelta(days=2)
        self.studio.clock = lambda: later.replace(tzinfo=UTC)
        self.assertEqual(scale.weigh_pot(1, 2100)["grams_a_day"], 150)
        with self.assertRaises(OSError) as told:
            scale.weigh_pot(1, 0)
        self.assertEqual(told.exception.code, 422)
        told.exception.close()

    def test_a_camera_sends_its_photo(self):
        self.tree()
        place = Path(tempfile.mkdtemp()) / "bench.jpg"
        out = io.BytesIO()
        Image.new("RGB", (640, 480), (90, 80, 60)).save(out, "JPEG")
        place.write_bytes(out.getvalue())
        camera = BenchCamera(self.line("photos"))
        kept = camera.write(1, place, "crown")
        self.assertEqual(self.photos_of(1)[0].id, kept["photo_id"])
        with self.assertRaises(OSError) as told:
            camera.write(1, place, "crown")
        told.exception.close()


class FuzzTest(ApiCase):
    def test_no_request_that_fits_the_description_breaks_it(self):
        self.tree(acquired_on=date(2020, 1, 1))
        begin(self.studio, 1, "routine")
        schema = schemathesis.openapi.from_asgi(f"{ROOT}/openapi.json", self.app)
        headers = {"Authorization": self.client.headers["Authorization"]}

        @hypothesis.settings(
            max_examples=12,
            deadline=None,
            database=None,
            derandomize=True,
            suppress_health_check=list(hypothesis.HealthCheck),
        )
        @hypothesis.given(data=hypothesis.strategies.data())
        def sent(data):
            for found in schema.get_all_operations():
                case = data.draw(found.ok().as_strategy())
                answer = case.call(headers=headers)
                self.assertLess(answer.status_code, 500, f"{case.method} {case.path}")
                if answer.status_code < 300:
                    case.validate_response(answer, checks=[schemathesis.checks.not_a_server_error])

        sent()


class ReadmeTest(ApiCase):
    def test_its_lines_do_what_they_say(self):
        """The Python example of docs/api.md, run as it stands."""
        self.tree(name="Elm", acquired_on=date(2020, 1, 1))
        text = (Path(__file__).parents[3] / "docs/api.md").read_text("utf-8")
        [code] = re.findall(r"```python\n(.*?)```", text, re.S)
        from tests.web.api.served import serve

        address = serve(self, self.app)
        token = make_token(self.studio, "example", list(SCOPES))
        code = code.replace("http://127.0.0.1:8000", address).replace("mirvo_your-token", token)
        printed = []
        exec(compile(code, "docs/api.md", "exec"), {"print": lambda *said: printed.append(said)})
        self.assertIn("Elm", str(printed))
        self.assertEqual(self.read(nights_near, self.studio.today)[1], "thermometer")
        self.assertEqual(len(self.client.get("/trees/1/tasks").json()["items"]), 1)
