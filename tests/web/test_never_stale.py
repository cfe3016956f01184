"""Pages after writes at random: what a running server shows is what one just started would show.

MIRVO_WRITES sets how many writes are made; some dozens in the suite, hundreds by hand.
"""

import os
import random
from html.parser import HTMLParser

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.studio.ground.state_cache import StudioState
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import set_target
from mirvo.studio.records.root_sessions import record_session
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

WRITES = int(os.environ.get("MIRVO_WRITES", "30"))
# Pages with forms, of two trees and of the yard.
FORMS_ON = (
    *("/trees/{}/edit", "/trees/{}", "/trees/{}/time", "/trees/{}/path", "/trees/{}/practice"),
    *("/trees/{}/sessions/new", "/trees/{}/pot", "/bench-sessions/1", "/photos/1", "/"),
    *("/almanac", "/almanac/practice", "/shelf/pots/new", "/shelf/soil", "/materials"),
    *("/sessions/1", "/sessions/1/edit", "/trees/new", "/shelf/pots/1", "/compost"),
)
COMPARED = (
    *("/", "/trees", "/trees?form=ledger", "/trees?q=zel", "/materials", "/kit/calendar.ics"),
    *("/trees/1", "/trees/2", "/trees/1/path", "/trees/1/years", "/trees/1/time", "/shelf"),
    *("/trees/1/sessions", "/trees/2/pot", "/trees/1/edit", "/almanac/practice", "/kit"),
    *("/photos/1/desk", "/bench-sessions/1", "/trees/1/family", "/shelf/soil", "/almanac"),
)
# These would end the test, not the studio: leaving, starting the simulated camera, long work.
LEFT_OUT = (
    "sign",
    "compost/tree",
    "simulated",
    "backup",
    "restore",
    "propose",
    "turntable",
    "/set",
    "eye",
    "reset",
)
WORDS = ("seen", "on the low bench", "for spring")


class FilledForms(HTMLParser):
    """The forms of a page, filled in as somebody might."""

    def __init__(self, chance, day):
        super().__init__()
        self.chance, self.day = chance, day
        self.found = []
        self._select = None

    def handle_starttag(self, tag, pairs):
        said = dict(pairs)
        name = said.get("name")
        if tag == "form":
            self.found.append((said.get("action") or "", said.get("method"), {}))
        elif not self.found:
            return
        elif tag == "option" and self._select is not None:
            self._option(said)
        elif tag == "select" and name:
            self._select = name
        elif tag == "textarea" and name:
            self._fill(name, self.chance.choice(WORDS))
        elif tag == "input" and name:
            self._input(name, said)

    def handle_endtag(self, tag):
        if tag == "select":
            self._select = None

    def _fill(self, name, value):
        self.found[-1][2][name] = value

    def _option(self, said):
        fields = self.found[-1][2]
        # The last one drawn stands; the first one stands until another is drawn.
        if self._select not in fields or self.chance.random() < 0.4:
            fields[self._select] = said.get("value") or ""

    def _input(self, name, said):
        kind, value = said.get("type", "text"), said.get("value") or ""
        if kind in ("hidden", "radio"):
            if kind == "hidden" or "checked" in said or self.chance.random() < 0.3:
                self._fill(name, value)
        elif kind == "checkbox":
            if self.chance.random() < 0.5:
                self._fill(name, value or "on")
        elif kind == "file":
            return
        elif kind == "date" or name.endswith("_on"):
            self._fill(name, value or f"{self.day:%Y-%m-%d}")
        elif kind == "number" or "data-length" in said or name.endswith("_mm"):
            self._fill(name, value if value and self.chance.random() < 0.6 else self._number())
        else:
            self._fill(name, value or self.chance.choice(WORDS))

    def _number(self):
        return str(self.chance.randint(20, 120))


class NeverStaleTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.chance = random.Random(20261201)
        self.client = TestClient(create_app(self.studio), follow_redirects=False)
        # Plans made beside the pages would come between two looks at one.
        self.studio.replanner.close()
        self.studio.replanner = None
        for number, name in enumerate(("Ferry zelkova", "Mole zelkova"), start=1):
            tree = self.tree(name=name, container="wide training pot")
            photo, marks = self.photo(tree, seed=number)
            save_marks(self.studio, photo.id, marks, 0)
            done = {"done_on": self.studio.today, "ball_depth_before": 90, "slice_mm": 30}
            record_session(self.studio, tree.id, SessionFields.model_validate(done))
        wish = {"spread_ratio": 2.4, "largest_gap_deg": 100, "pot_depth_mm": 60}
        set_target(self.studio, 1, TargetFields.model_validate(wish))
        self.client.post("/trees/1/bench-sessions", data={"kind": "routine"})

    def page(self, path):
        answer = self.client.get(path)
        return answer.status_code, answer.text

    def fresh(self, path):
        """The same page from a server that keeps nothing yet."""
        kept, self.studio.state = self.studio.state, StudioState()
        try:
            return self.page(path)
        finally:
            self.studio.state = kept

    def write(self):
        """One form sent as filled in, or a plan made; what was sent, and whether it was taken."""
        if self.chance.random() < 0.08:
            plan_path(self.studio, 1)
            return "plan", True
        page = self.chance.choice(FORMS_ON).format(self.chance.choice((1, 2)))
        answer = self.client.get(page)
        if answer.status_code != 200 or "html" not in answer.headers["content-type"]:
            return page, False
        forms = FilledForms(self.chance, self.studio.today)
        forms.feed(answer.text)
        sent = [
            (action or page, fields)
            for action, method, fields in forms.found
            if method == "post" and not any(one in (action or page) for one in LEFT_OUT)
        ]
        if not sent:
            return page, False
        action, fields = self.chance.choice(sent)
        return action, self.client.post(action, data=fields).status_code < 400

    def test_no_page_shows_what_was(self):
        taken, pages, actions = 0, 0, set()
        tries = 0
        while taken < WRITES:
            tries += 1
            self.assertLess(tries, 12 * WRITES, "hardly any write is taken")
            # Looked at before, so that there is something to be stale.
            looked_at = self.chance.sample(COMPARED, 4)
            for path in looked_at:
                self.page(path)
            what, was_taken = self.write()
            if not was_taken:
                continue
            taken += 1
            actions.add(what)
            for path in looked_at:
                self.assertEqual(self.page(path), self.fresh(path), (what, path))
                pages += 1
        self.assertGreater(len(actions), min(WRITES // 5, 40))
        self.assertEqual(pages, 4 * WRITES)
