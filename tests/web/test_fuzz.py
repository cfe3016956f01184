"""Every route and form with values no one types: never an error of the server, then or later.

MIRVO_FUZZ sets how many requests are made; a few hundred in the suite, many by hand.
"""

import json
import os
import random
import re
from html.parser import HTMLParser
from urllib.parse import quote

from fastapi.routing import APIRoute

from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.root_sessions import record_session
from mirvo.web.app import OTHER_PARTS, PARTS, create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

REQUESTS = int(os.environ.get("MIRVO_FUZZ", "240"))
NUMBERS = ("1", "1", "1", "2", "0", "-1", "9" * 19, "9" * 4400, "²", "٣", "abc", "1.0")
TEXTS = (
    *("", "0", "-1", "1e308", "nan", "inf", "-0", "9" * 4400, "²", "٣٤", "½", "\ud800", "a\ud800b"),
    *("\x00", "\u202e", "x" * 5000, "<script>1</script>", "'; DROP TABLE trees;--", "2026-02-30"),
    *("0001-01-01", "9999-12-31", "4-20", "true", "null", "[]", "1,5", "keep", "A", "\r\nX: y"),
)
SENT = (
    *(None, True, 0, -1, 1e308, float("nan"), 10**400, "", "\ud800", [], {}, [[1, 2], [3, 4]]),
    *([[0, 0], [1e9, 1e9], [1, 2]], {"a": {"b": [1]}}, [None], [[10, 10]] * 500),
)
FIELDS = ("input", "select", "textarea")
# Slow to render, or to write.
LEFT_OUT = ("simulated", "backup.zip", "propose", "turntable", "/set", "eye")


class Forms(HTMLParser):
    """The forms of a page with what stands in their fields."""

    def __init__(self):
        super().__init__()
        self.found = []

    def handle_starttag(self, tag, pairs):
        said = dict(pairs)
        if tag == "form":
            self.found.append((said.get("action") or "", said.get("method"), {}))
        elif self.found and tag in FIELDS and said.get("name") and said.get("type") != "file":
            self.found[-1][2][said["name"]] = said.get("value") or ""


def bytes_of(text):
    return text.encode("utf-8", "surrogatepass")


class FuzzTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.chance = random.Random(20261128)
        self.client = TestClient(create_app(self.studio), follow_redirects=False)
        self.routes = [
            route
            for part in (*PARTS, *OTHER_PARTS)
            for route in part.router.routes
            if isinstance(route, APIRoute) and not any(one in route.path for one in LEFT_OUT)
        ]
        tree = self.tree(container="wide training pot")
        photo, marks = self.photo(tree)
        save_marks(self.studio, photo.id, marks, 0)
        form = {"done_on": self.studio.today, "ball_depth_before": 90, "slice_mm": 30}
        record_session(self.studio, tree.id, SessionFields.model_validate(form))
        self.client.post("/trees/1/bench-sessions", data={"kind": "routine"})

    def ask(self, method, path, **how):
        # An error of the server is raised here as it is.
        answer = self.client.request(method, path, **how)
        self.assertLess(answer.status_code, 500, (method, path))
        return answer

    def path_of(self, route, numbers=NUMBERS):
        return re.sub(r"\{[^}]*\}", lambda _: quote(self.chance.choice(numbers)), route.path)

    def send_form(self, path, fields):
        body = "&".join(f"{quote(name)}={quote(bytes_of(text))}" for name, text in fields.items())
        kind = {"content-type": "application/x-www-form-urlencoded"}
        return self.ask("POST", path, content=body, headers=kind)

    def names_of(self, route):
        for field in route.dependant.body_params:
            model = getattr(field.field_info.annotation, "model_fields", None)
            yield from model or (field.name,)

    def test_routes_with_values_no_one_types(self):
        for _ in range(REQUESTS):
            route = self.chance.choice(self.routes)
            method = self.chance.choice(sorted(route.methods - {"HEAD"}))
            names = list(self.names_of(route))
            if method == "GET":
                asked = {
                    field.name: bytes_of(self.chance.choice(TEXTS))
                    for field in route.dependant.query_params
                }
                self.ask("GET", self.path_of(route), params=asked)
            elif self.chance.random() < 0.5:
                fields = {name: self.chance.choice(TEXTS) for name in names}
                self.send_form(self.path_of(route), fields)
            else:
                sent = {name: self.chance.choice(SENT) for name in names}
                kind = {"content-type": "application/json", "accept": "application/json"}
                path = self.path_of(route)
                self.ask(method, path, content=json.dumps(sent), headers=kind)
        self.walk()

    def test_forms_with_one_field_no_one_fills_in_so(self):
        pages = [route for route in self.routes if "GET" in route.methods]
        for _ in range(REQUESTS // 3):
            page = self.path_of(self.chance.choice(pages), ("1",))
            answer = self.ask("GET", page)
            if "html" not in answer.headers.get("content-type", ""):
                continue
            forms = Forms()
            forms.feed(answer.text)
            forms.close()
            for action, method, fields in forms.found:
                taken_out = "compost" in action or any(one in action for one in LEFT_OUT)
                if method == "post" and fields and not taken_out and self.chance.random() < 0.4:
                    changed = self.chance.choice(list(fields))
                    fields[changed] = self.chance.choice(TEXTS)
                    self.send_form(action or page, fields)
        self.walk()

    def walk(self):
        """Every page opens over whatever was stored."""
        for route in self.routes:
            if "GET" in route.methods:
                self.ask("GET", self.path_of(route, ("1",)))
