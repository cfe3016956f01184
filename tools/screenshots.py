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
from mirvo.studio.context import Studio
from mirvo.web.app import create_app

OUT = Path(__file__).parent.parent / "docs/screenshots"
DAY = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
FLAGS += ["--disable-component-update", "--disable-sync"]
VIEWS = {
    "bench": ("/", 1280),
    "trees": ("/trees", 1280),
    "tree-sheet": ("/trees/1", 1280),
    "photos": ("/trees/1/photos", 1280),
    "root-desk": ("/photos/3/desk", 1280),
    "root-desk-phone": ("/photos/3/desk", 390),
    "session-form": ("/trees/1/sessions/new", 1280),
    "session-record": ("/sessions/3", 1280),
    "path": ("/trees/1/path", 1280),
    "tree-form": ("/trees/1/edit", 1280),
    "almanac": ("/almanac", 1280),
    "years": ("/trees/5/years", 1280),
    "side-desk": ("/photos/17/desk", 1280),
    "eye-check": ("/eye", 1280),
    "kit": ("/kit", 1280),
}


def serve(folder: Path) -> str:
    """The demo on a free port in the background; its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    app = create_app(Studio(folder, clock=lambda: DAY))
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="critical"))
    threading.Thread(target=server.run, daemon=True).start()
    while not server.started:
        time.sleep(0.05)
    return f"http://127.0.0.1:{port}"


def main() -> None:
    work = Path(tempfile.mkdtemp())
    load_demo(work / "demo")
    address = serve(work / "demo")
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
