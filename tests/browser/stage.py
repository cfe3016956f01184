"""A served studio and a headless Chromium, for browser tests."""

import atexit
import os
import signal
import socket
import threading
from functools import cache
from pathlib import Path

import uvicorn
from playwright.sync_api import expect, sync_playwright

from mirvo.studio.photos.simulated import truth_of
from mirvo.web.app import create_app
from tests.studio_case import StudioCase
from tests.waiting import until

CHROMIUM = "/usr/bin/chromium"
PATIENCE_MS = 120_000  # a machine busy with other work is no failure
# Some calls of a browser wait without an end. A test that takes so long has one that never comes.
LIMIT_S = 420
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--no-first-run",
]  # fmt: skip


# What a page is expected to show may wait for a plan, so it has the patience of a click.
expect.set_options(timeout=PATIENCE_MS)


@cache
def chromium():
    """One headless Chromium for all tests of a process."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    atexit.register(playwright.stop)
    atexit.register(browser.close)
    return browser


def give_up():
    """End the driver of this process's browser, so that what waits for it fails and is named."""
    chromium.cache_clear()
    for place in Path("/proc").glob("[0-9]*"):
        try:
            parent = int((place / "stat").read_text().rpartition(")")[2].split()[1])
            words = (place / "cmdline").read_bytes()
        except OSError:
            continue
        if parent == os.getpid() and b"playwright" in words:
            os.kill(int(place.name), signal.SIGKILL)


class Served:
    """The application on a free port, stopped and started at will."""

    def __init__(self, studio):
        self.studio = studio
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.start()

    @property
    def address(self):
        return f"http://127.0.0.1:{self.port}"

    def start(self):
        config = uvicorn.Config(create_app(self.studio), port=self.port, log_level="critical")
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        self.thread.start()
        until(lambda: self.server.started)

    def stop(self):
        self.server.should_exit = True
        self.server.force_exit = True
        self.thread.join(10)


class Hand:
    """An artist at the desk; counts clicks and keys."""

    def __init__(self, page):
        self.page, self.clicks, self.keys = page, 0, 0

    def click(self, locator):
        locator.click()
        self.clicks += 1

    def choose(self, locator, value):
        """A choice from a list: it is opened, and one line of it taken."""
        locator.select_option(value)
        self.clicks += 2

    def hand_in(self, locator, file):
        """A file: the device's own window is opened, and the file taken there."""
        locator.set_input_files(file)
        self.clicks += 2

    def point(self, place):
        self.page.mouse.click(*place)
        self.clicks += 1

    def press(self, key):
        self.page.keyboard.press(key)
        self.keys += 1

    def type(self, text):
        for letter in text:
            self.press(letter)


class BrowserCase(StudioCase):
    # Only who tests what works without a server wants the worker that keeps pages: with it, closing
    # a window may wait for a request that is never answered.
    service_workers = "block"

    @property
    def browser(self):
        return chromium()

    def setUp(self):
        super().setUp()
        limit = threading.Timer(LIMIT_S, give_up)
        limit.daemon = True
        limit.start()
        self.addCleanup(limit.cancel)
        self.served = Served(self.studio)
        self.addCleanup(self.served.stop)
        self.page = self.open_page()

    def open_page(self, **options):
        usual = {
            "viewport": {"width": 1280, "height": 800},
            "service_workers": self.service_workers,
        }
        context = self.browser.new_context(base_url=self.served.address, **{**usual, **options})
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        self.complaints = []
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.addCleanup(lambda: self.assertEqual(self.complaints, []))
        return page

    def truth(self, photo):
        return truth_of(self.studio, photo)

    def screen(self, point, page=None):
        """Where a photo pixel lies on the screen."""
        return (page or self.page).evaluate(
            """([x, y]) => {
                const at = new DOMPoint(x, y).matrixTransform(
                    document.querySelector("[data-overlay]").getScreenCTM());
                return [at.x, at.y];
            }""",
            point,
        )

    def click_points(self, points):
        for point in points:
            self.page.mouse.click(*self.screen(point))

    def desk_ready(self):
        """Wait until the desk's tools answer."""
        self.page.locator("[data-desk]:not([inert])").wait_for()

    def kept(self, page=None):
        """Wait until every mark is on the server."""
        (page or self.page).locator("[data-save][data-state=kept]").wait_for()

    def all_paths(self):
        """Wait until every school's path of the newest plan is there."""
        self.page.locator(".paths:not(.coming)").wait_for()

    def offer_camera(self):
        """In the Kit: the simulated camera stands beside every tree's photos from now on."""
        self.page.goto("/kit")
        self.page.get_by_label("simulated camera").check()
        self.page.locator("form[action='/kit/preferences'] button").click()
        self.page.wait_for_url("**/kit#preferences")

    def step_of(self, selector, page=None):
        """The step of a bench session that holds something.

        Rows are drawn anew after every entry, so it is asked of the page as it stands until it
        answers, never of a row found a moment ago.
        """
        return (
            (page or self.page)
            .wait_for_function(
                "(sought) => document.querySelector(sought)?.closest('.step')?.id", arg=selector
            )
            .json_value()
        )
