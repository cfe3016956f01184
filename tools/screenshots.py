"""Takes one picture of each main view from the demo yard into docs/screenshots."""

from __future__ import annotations

import shutil
import socket
import tempfile
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

import uvicorn
from playwright.sync_api import sync_playwright

from mirvo.demo.load import load_demo
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin
from mirvo.studio.ground.context import Studio
from mirvo.studio.path.path import plan_path
from mirvo.web.app import create_app

OUT = Path(__file__).parent.parent / "docs/screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
FLAGS += ["--disable-component-update", "--disable-sync"]
VIEWS = {
    "bench": ("/", 1280),
    "trees": ("/trees", 1280),
    "tree-sheet": ("/trees/1", 1280),
    "bench-phone": ("/", 390),
    "photos": ("/trees/1/photos", 1280),
    "root-desk": ("/photos/7/desk", 1280),
    "root-desk-phone": ("/photos/7/desk", 390),
    "session-form": ("/trees/1/sessions/new", 1280),
    "session-record": ("/sessions/15", 1280),
    "path": ("/trees/1/path", 1280),
    "bench-session": ("/bench-sessions/1#decide", 1280),
    "bench-session-phone": ("/bench-sessions/1#decide", 390),
    "shelf": ("/shelf", 1280),
    "tree-pot": ("/trees/1/pot", 1280),
    "soil-recipe": ("/shelf/soil/recipes/1?pot=1&former=2", 1280),
    "almanac": ("/almanac", 1280),
    "years": ("/trees/5/years", 1280),
    "side-desk": ("/photos/37/desk", 1280),
    "kit": ("/kit", 1280),
}


def serve(studio: Studio) -> str:
    """The demo on a free port in the background; its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    app = create_app(studio)
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="critical"))
    threading.Thread(target=server.run, daemon=True).start()
    while not server.started:
        time.sleep(0.05)
    return f"http://127.0.0.1:{port}"


ENTERED = (
    ("bud_stage", "buds swelling"),
    ("ball_length_before", 340),
    ("ball_width_before", 200),
    ("ball_depth_before", 70),
    ("slice_mm", 12),
    ("old_soil", [7, 8]),
    ("done:prepare", True),
    ("done:lift", True),
    ("root:C", {"action": "shorten", "part": 0.4}),
    ("root:F", {"action": "remove"}),
)


def begin_a_session(studio: Studio) -> None:
    """A session at the bench with something entered, so that its page has something to show."""
    bench = begin(studio, 1, "routine")
    entries = [
        {"id": f"shown-{n:04}", "field": field, "value": value, "at": datetime.now(UTC).isoformat()}
        for n, (field, value) in enumerate(ENTERED)
    ]
    refused = save_entries(studio, bench.id, entries).refused
    if refused:
        raise SystemExit(refused[0].message)
    # The buds move the window, so the path follows; else early pictures would show the old one.
    plan_path(studio, 1)


def main() -> None:
    work = Path(tempfile.mkdtemp())
    load_demo(work / "demo")
    studio = Studio(work / "demo")
    begin_a_session(studio)
    address = serve(studio)
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for name, (place, width) in VIEWS.items():
            size = {"width": width, "height": 800 if width > 400 else 844}
            page = browser.new_page(viewport=size)
            page.goto(address + place)
            page.wait_for_load_state("networkidle")
            page.screenshot(path=OUT / f"{name}.png")
            page.close()
        browser.close()
    shutil.rmtree(work)


if __name__ == "__main__":
    main()
