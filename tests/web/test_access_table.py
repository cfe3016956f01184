"""Access is closed by default: all routes are asked as nobody, guest and helper, and held against
what each declares; and no page offers anybody what is not theirs."""

import re
from datetime import date
from html import unescape

from fastapi import APIRouter

from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.bench_session.session import begin
from mirvo.studio.ground.people import PersonFields, add_person, people_of
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.soil import begin_with_usual, components, keep_recipe
from mirvo.studio.yard.sharing import let_guests_see
from mirvo.web.access import AccessTable, Role, only
from mirvo.web.api import create_api
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

PHRASE = "open sesame, please"
# Each was open to helpers once.
OWNERS = {
    ("POST", "/shelf/soil/components/{component_id}/drop"),
    ("POST", "/shelf/soil/recipes/{recipe_id}/drop"),
    ("POST", "/shelf/soil/usual"),
    ("POST", "/materials/supplies/{supply_id}/drop"),
    ("POST", "/trees/{tree_id}/grafts/{graft_id}/drop"),
    ("POST", "/trees/{tree_id}/died"),
    ("POST", "/almanac/species/{key}/aside"),
    ("POST", "/bench-sessions/{bench_id}/leave"),
    ("GET", "/trees/{tree_id}/exchange.zip"),
    ("GET", "/trees/{tree_id}/dossier.pdf"),
    ("GET", "/yearbook/{year}/book.pdf"),
    ("GET", "/trees/{tree_id}/figures.csv"),
    ("GET", "/trees/{tree_id}/roots.csv"),
    ("POST", "/almanac/yard"),
    ("POST", "/almanac/practice"),
    ("POST", "/almanac/nights"),
    ("POST", "/kit/calendar"),
    ("GET", "/kit/calendar.ics"),
    ("POST", "/kit/card"),
    ("GET", "/exchange/tables.xlsx"),
    ("GET", "/repair"),
}
NUMBERS = {"key": "zelkova", "size": "thumb", "secret": "none", "kind": "tree", "year": "2026"}
# What a page's own scripts ask for, or the browser keeps.
NOT_FOLLOWED = ("/static/",)


def filled(path):
    """An address with something in each of its places."""
    named = {"table": "trees", "name": "none", "digest": "0" * 64, **NUMBERS}
    return re.sub(r"\{(\w+)\}", lambda found: named.get(found[1], "1"), path)


class AccessTableCase(StudioCase):
    def prepare(self):
        tree = self.tree(name="Shown elm", acquired_on=date(2020, 1, 1))
        self.tree(name="Hidden oak")
        photo, marks = self.photo(tree, taken_on=date(2026, 2, 1))
        save_marks(self.studio, photo.id, marks, 0)
        record_session(self.studio, 1, SessionFields(done_on=date(2026, 3, 1)))
        begin(self.studio, 2, "routine")
        begin_with_usual(self.studio)
        number = self.read(components)[0].id
        keep_recipe(self.studio, "Mix", {f"part-{number}": "1"})
        for name, role in (("Ada", "owner"), ("Bo", "helper"), ("Cy", "guest")):
            form = {"person_name": name, "role": role, "passphrase": PHRASE}
            add_person(self.studio, PersonFields.model_validate(form))
        guest = next(one for one in self.read(people_of) if one.role == "guest")
        let_guests_see(self.studio, 1, [guest.id])

    def setUp(self):
        super().setUp()
        self.app = create_app(self.studio)

    def signed_in(self, name, where):
        device = TestClient(
            self.app,
            follow_redirects=False,
            client=(where, 1),
            raise_server_exceptions=False,
        )
        if name:
            sent = {"name": name, "passphrase": PHRASE, "to": "/"}
            self.assertEqual(device.post("/sign-in", data=sent).status_code, 303)
        return device


class EveryRouteTest(AccessTableCase):
    def test_all_routes_by_everybody(self):
        devices = {
            Role.ANYONE: self.signed_in("", "10.1.0.1"),
            Role.GUEST: self.signed_in("Cy", "10.1.0.2"),
            Role.HELPER: self.signed_in("Bo", "10.1.0.3"),
        }
        owner = self.signed_in("Ada", "10.1.0.4")
        table = self.app.state.access
        for row in table.rows:
            for method in sorted(row.route.methods):
                place = filled(row.route.path)
                for role, device in devices.items():
                    # Answers to those who may are looked at elsewhere; here, to those who may not.
                    if role >= row.role:
                        continue
                    answer = device.request(method, place)
                    turned_away = {
                        Role.ANYONE: (303, 401),
                        Role.GUEST: (303,) if place == "/" else (403, 404),
                        Role.HELPER: (403,),
                    }[role]
                    self.assertIn(answer.status_code, turned_away, (role, method, place))
                    self.assertNotIn("Hidden oak", answer.text)
                if method == "GET" and row.role <= Role.OWNER:
                    self.assertNotIn(owner.request(method, place).status_code, (401, 403), place)

    def test_what_was_open_once_is_an_owners(self):
        declared = {
            (method, row.route.path): row.role
            for row in self.app.state.access.rows
            for method in row.route.methods
        }
        self.assertEqual({place: declared[place] for place in OWNERS}, dict.fromkeys(OWNERS, 3))

    def test_a_route_that_declares_nothing_does_not_start(self):
        open_door = APIRouter()
        open_door.add_api_route("/open", lambda: "", methods=["GET"])
        with self.assertRaisesRegex(RuntimeError, "/open does not say who may use it"):
            AccessTable([open_door], ())
        closed = APIRouter(dependencies=only(Role.OWNER))
        closed.add_api_route("/shut", lambda: "", methods=["GET"])
        closed.add_api_route("/open", lambda: "", methods=["GET"], dependencies=only(Role.ANYONE))
        roles = [row.role for row in AccessTable([closed], ()).rows]
        self.assertEqual(roles, [Role.OWNER, Role.ANYONE])

    def test_a_route_past_the_guard_answers_nobody(self):
        late = APIRouter(dependencies=only(Role.ANYONE))
        late.add_api_route("/late", lambda: "secret", methods=["GET"])
        self.app.include_router(late)
        # The table was made at the start; what came later stands in no row.
        guest = self.signed_in("Cy", "10.1.0.2")
        self.assertEqual(guest.get("/late").status_code, 404)

    def test_programs_show_their_token_everywhere(self):
        api = create_api(self.studio)
        client = TestClient(api)
        asked = 0
        for path, operations in api.openapi()["paths"].items():
            for method in operations:
                answer = client.request(method, filled(path))
                self.assertEqual(answer.status_code, 401, (method, path))
                asked += 1
        self.assertGreater(asked, 15)


class OfferedTest(AccessTableCase):
    """Every link and form of every page somebody can reach is theirs to use."""

    def walk(self, device, starts):
        """Follow every link from some pages; those turned away, and the forms, by their page."""
        seen, left, refused, forms = set(), [(place, "") for place in starts], set(), set()
        while left:
            place, page = left.pop()
            if place in seen or len(seen) > 400:
                continue
            seen.add(place)
            answer = device.get(place)
            if answer.status_code not in (200, 303, 308):
                refused.add((answer.status_code, place, page))
            if "html" not in answer.headers.get("content-type", ""):
                continue
            text = unescape(answer.text)
            for found in re.findall(r'(?:href|src)="(/[^"]*)"', text):
                if not found.startswith(NOT_FOLLOWED):
                    left.append((found.partition("#")[0], place))
            for form in re.findall(r"<form[^>]*>", text):
                action = re.search(r'action="([^"]*)"', form)
                method = "POST" if 'method="post"' in form else "GET"
                at = (action[1] if action else place).partition("?")[0]
                forms.add((method, at, place))
        return seen, refused, forms

    def role_of(self, method, place):
        for row in self.app.state.access.rows:
            if method in row.route.methods and row.route.path_regex.fullmatch(place):
                return row.role
        return None

    def test_guests_are_offered_nothing_that_is_not_theirs(self):
        seen, refused, forms = self.walk(self.signed_in("Cy", "10.1.0.2"), ["/guest", "/me"])
        self.assertGreater(len(seen), 12)
        self.assertEqual(refused, set())
        self.assertEqual([one for one in forms if self.role_of(*one[:2]) > Role.GUEST], [])

    def test_helpers_are_offered_nothing_that_is_an_owners(self):
        starts = ["/", "/trees", "/trees/1/edit", "/kit", "/almanac", "/shelf", "/materials"]
        seen, refused, forms = self.walk(self.signed_in("Bo", "10.1.0.3"), starts)
        self.assertGreater(len(seen), 40)
        self.assertEqual(refused, set())
        self.assertEqual([one for one in forms if self.role_of(*one[:2]) > Role.HELPER], [])

    def test_the_kit_tells_helpers_no_secret(self):
        self.studio.throttle = type(self.studio.throttle)()
        here = TestClient(self.app)
        here.post("/kit/calendar")
        secret = re.search(r"calendar/([^.]+)[.]ics", here.get("/kit").text)[1]
        self.assertNotIn(secret, self.signed_in("Bo", "10.1.0.3").get("/kit").text)
