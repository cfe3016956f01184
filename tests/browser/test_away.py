"""What a browser keeps by itself: pages for when the server is away, and what was typed."""

import json

from playwright.sync_api import expect

from mirvo.records.models import Tree
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.measuring.desk import save_marks
from tests.browser.stage import BrowserCase

READY = "navigator.serviceWorker.ready.then(() => navigator.serviceWorker.controller !== null)"


class AwayTest(BrowserCase):
    service_workers = "allow"

    def prepare(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)

    def setUp(self):
        super().setUp()
        self.page.goto("/trees")
        self.page.wait_for_function(READY)

    def test_what_was_seen_lately_opens_without_the_server_and_says_so(self):
        page = self.page
        page.goto("/trees/1")
        name = page.locator("h1").inner_text()
        self.served.stop()
        page.goto("/trees/1")
        expect(page.locator("h1")).to_have_text(name)
        expect(page.locator("[data-stale]")).to_contain_text("as it was on")
        self.assertTrue(page.evaluate("getComputedStyle(document.body).margin === '0px'"), "styled")
        # Another tab of it that was never opened is not made up.
        page.goto("/trees/1/path")
        expect(page.locator("h1")).to_have_text("The server cannot be reached")
        page.get_by_role("link", name=name).first.click()
        expect(page.locator("h1")).to_have_text(name)
        self.served.start()
        page.goto("/trees/1")
        expect(page.locator("[data-stale]")).to_have_count(0)

    def test_a_page_kept_is_never_shown_for_one_that_can_be_had(self):
        page = self.page
        page.goto("/trees/1")
        with self.studio.writing() as db:
            db.get_one(Tree, 1).name = "Renamed elm"
        page.goto("/trees/1")
        expect(page.locator("h1")).to_have_text("Renamed elm")

    def test_an_open_session_goes_on_and_is_handed_over_once(self):
        page = self.page
        bench = begin(self.studio, 1, "routine")
        page.goto(f"/bench-sessions/{bench.id}")
        self.served.stop()
        page.goto(f"/bench-sessions/{bench.id}")
        expect(page.locator("[data-stale]")).to_have_count(1)
        page.locator("#f-slice_mm").fill("12")
        page.keyboard.press("Tab")
        page.locator("[data-save][data-state=lost]").wait_for()
        page.goto(f"/bench-sessions/{bench.id}")
        expect(page.locator("#f-slice_mm")).to_have_value("12")
        # A second window has one of its own; both go over.
        other = page.context.new_page()
        other.goto(f"{self.served.address}/bench-sessions/{bench.id}")
        other.locator("#f-woody_depth_mm").fill("44")
        other.keyboard.press("Tab")
        other.locator("[data-save][data-state=lost]").wait_for()
        waiting = (
            "JSON.parse(Object.entries(localStorage).find(([name]) => name.includes('entries'))[1])"
        )
        # What one window keeps reaches the other a moment later.
        page.wait_for_function(f"{waiting}.length === 2")
        self.served.start()
        page.locator("[data-save][data-state=kept]").wait_for()
        other.locator("[data-save][data-state=kept]").wait_for()
        state = self.read(bench_state, bench.id)
        self.assertEqual((state.answers["slice_mm"], state.answers["woody_depth_mm"]), (12, 44))

    def test_of_another_studio_at_this_address_nothing_stays(self):
        page = self.page
        page.wait_for_function(
            "(key) => caches.keys().then((names) => names.some((name) => name.includes(key)))",
            arg=self.studio.key,
        )
        page.evaluate(
            """(key) => navigator.serviceWorker.register(
                document.documentElement.dataset.worker + "&studio=" + key, { scope: "/" })""",
            "another",
        )
        page.wait_for_function(
            """(key) => caches.keys().then(
                (names) => names.length && names.every((name) => !name.includes(key)))""",
            arg=self.studio.key,
        )


class TypedTest(BrowserCase):
    def prepare(self):
        self.tree()

    def test_what_was_typed_and_not_sent_is_there_on_coming_back(self):
        page = self.page
        page.goto("/trees/new")
        page.get_by_label("Name").fill("Quay maple")
        page.get_by_label("Species").select_option("zelkova")
        page.goto("/trees")
        page.goto("/trees/new")
        expect(page.get_by_label("Name")).to_have_value("Quay maple")
        expect(page.get_by_label("Species")).to_have_value("zelkova")
        page.get_by_role("button", name="Begin anew").click()
        expect(page.get_by_label("Name")).to_have_value("")
        page.goto("/trees/new")
        expect(page.get_by_label("Name")).to_have_value("")

    def test_once_sent_it_does_not_come_back(self):
        page = self.page
        page.goto("/trees/1/edit")
        page.get_by_label("Name").fill("Ferry elm")
        page.get_by_role("button", name="Save").first.click()
        page.wait_for_url("**/trees/1*")
        page.goto("/trees/1/edit")
        expect(page.locator("[data-typed]")).to_have_count(0)
        expect(page.get_by_label("Name")).to_have_value("Ferry elm")

    def test_rubbish_in_the_store_breaks_nothing(self):
        page = self.page
        page.goto("/trees/new")
        for rubbish in ("[", json.dumps({"/trees/new": {"at": 1}}), "7"):
            page.evaluate(
                """(text) => localStorage.setItem(
                    `mirvo-${document.documentElement.dataset.studio}-typed`, text)""",
                rubbish,
            )
            page.goto("/trees/new")
            expect(page.get_by_label("Name")).to_have_value("")


class LookTest(BrowserCase):
    def test_dusk_is_chosen_for_this_browser(self):
        page = self.page
        ground = "getComputedStyle(document.documentElement).backgroundColor"
        page.goto("/kit")
        ink = "getComputedStyle(document.body).color"
        day, by_day = page.evaluate(ground), page.evaluate(ink)
        page.get_by_label("Look").select_option("dusk")
        page.locator("form[action='/kit/preferences'] button").click()
        page.wait_for_url("**/kit#preferences")
        self.assertNotEqual(page.evaluate(ground), day)
        page.goto("/trees")
        self.assertNotEqual(page.evaluate(ground), day)
        page.emulate_media(media="print")
        self.assertEqual(page.evaluate(ink), by_day)
