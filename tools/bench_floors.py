"""What work needs beside its floor: the least that anybody could do it with, in the same run.

Used by `tools.bench_large` for docs/benchmarks.md; times are processor time in ms.
"""

from __future__ import annotations

import asyncio
import io
import os
import re
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, fields, is_dataclass
from datetime import date
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image
from pydantic import BaseModel
from starlette.types import ASGIApp, Message

from mirvo.core.measure.marks import RootMark, read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.uncertainty import Draws
from mirvo.records.models import Table
from mirvo.records.photos import PhotoStore
from mirvo.standins.base import random_base
from mirvo.standins.camera import random_camera
from mirvo.standins.photo import take_photo, truth
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.years import years_of
from mirvo.studio.standing.tree_list import list_trees, page_of_trees
from mirvo.studio.yard.sheet import sheet_of
from mirvo.web.app import OTHER_PARTS, PARTS, create_app
from mirvo.web.reader import PageReader
from tests.client import TestClient

LIST = """
SELECT t.id, t.name, t.species_key, t.tags,
  (SELECT done_on FROM root_sessions s WHERE s.tree_id = t.id ORDER BY done_on DESC LIMIT 1) last,
  (SELECT top FROM measurements m WHERE m.tree_id = t.id ORDER BY measured_on DESC LIMIT 1)
FROM trees t WHERE t.composted_at IS NULL ORDER BY last LIMIT 50
"""
OF_TREE = (
    "SELECT * FROM trees WHERE id = ?",
    "SELECT * FROM root_sessions WHERE tree_id = ? ORDER BY done_on DESC",
    "SELECT * FROM measurements WHERE tree_id = ? ORDER BY measured_on",
    "SELECT * FROM targets WHERE tree_id = ?",
    "SELECT * FROM plans WHERE tree_id = ? ORDER BY id DESC LIMIT 1",
    "SELECT * FROM photos WHERE tree_id = ? ORDER BY taken_on",
)
TREE, TIMES = 3, 9
WRITERS, WRITES = 8, 100
MANY, FEW = 60, 5
PHOTO_PX = (4032, 3024)
PADDING = 5_000_000


@dataclass(frozen=True)
class Measured:
    """One kind of work: its floor and what Mirvo needs, both in one unit, and what is aimed at,
    if anything was said of it."""

    name: str
    floor: float
    needed: float
    unit: str
    goal: float | None

    @property
    def line(self) -> str:
        ratio = self.needed / self.floor
        figures = f"{self.floor:.1f} | {self.needed:.1f} {self.unit}"
        goal = "" if self.goal is None else f"{self.goal:g}"
        return f"| {self.name} | {figures} | {ratio:.2f} | {goal} |"


def side_by_side(floor: Callable[[], object], work: Callable[[], object]) -> tuple[float, float]:
    """Processor time of both, ms, taken in turns so that a busy machine is one for both: of the
    turn whose ratio is the middle one, so that no lucky turn of one of them decides."""
    found: list[list[float]] = [[], []]
    for _ in range(TIMES):
        for times, each in zip(found, (floor, work), strict=True):
            start = time.process_time()
            each()
            times.append(1000 * (time.process_time() - start))
    return middle_turn(*found)


def middle_turn(floors: list[float], works: list[float]) -> tuple[float, float]:
    turns = sorted(zip(floors, works, strict=True), key=lambda turn: turn[1] / turn[0])
    return turns[len(turns) // 2]


def of_queries(folder: Path) -> list[Measured]:
    """Lists, a sheet, the years and whole pages against raw queries of the same rows."""
    studio = Studio(folder)
    app = create_app(studio)
    if studio.replanner is not None:
        studio.replanner.close()
    with studio.reading() as db:
        list_trees(db, studio.today)
    with closing(sqlite3.connect(folder / "mirvo.sqlite3")) as raw:

        def of_tree() -> None:
            for query in OF_TREE:
                raw.execute(query, (TREE,)).fetchall()

        def use(work: Callable[[Any], object]) -> Callable[[], None]:
            def asked() -> None:
                with studio.reading() as db:
                    work(db)

            return asked

        today = studio.today
        listed = side_by_side(
            lambda: raw.execute(LIST).fetchall(), use(lambda db: page_of_trees(db, today))
        )
        sheet = side_by_side(of_tree, use(lambda db: sheet_of(db, TREE, today)))
        years = side_by_side(of_tree, use(lambda db: years_of(db, TREE)))
        rendered = _rendered(TestClient(app), f"/trees/{TREE}")
        with asyncio.Runner() as runner:
            asked = side_by_side(
                lambda: (of_tree(), rendered()), lambda: runner.run(_get(app, f"/trees/{TREE}"))
            )
    studio.close()
    return [
        Measured("a page of trees; the raw query of fifty", *listed, "ms", 1.8),
        Measured("a sheet; the raw queries of its rows", *sheet, "ms", 5),
        Measured("the years; the same", *years, "ms", 5),
        Measured("a sheet's page; its raw queries and its template", *asked, "ms", 2.5),
    ]


async def _get(app: ASGIApp, path: str) -> None:
    """Ask for a page as a server would, without a client that has to be paid for too."""
    host = [(b"host", b"localhost")]
    scope = {"type": "http", "method": "GET", "path": path, "query_string": b"", "headers": host}

    async def receive() -> Message:
        return {"type": "http.request"}

    async def send(message: Message) -> None:
        if message.get("status", 200) != 200:
            raise RuntimeError(f"{path} answered {message['status']}")

    await app({**scope, "http_version": "1.1", "scheme": "http"}, receive, send)


def _rendered(client: TestClient, address: str) -> Callable[[], object]:
    """A page's template filled in alone, without asking the records."""
    caught: list[Callable[[], object]] = []
    usual = PageReader.render

    def kept(reader: PageReader, template: str, context: dict[str, Any]) -> str:
        caught.append(lambda: usual(reader, template, context))
        return usual(reader, template, context)

    PageReader.render = kept  # type: ignore[method-assign]
    try:
        client.get(address)
    finally:
        PageReader.render = usual  # type: ignore[method-assign]
    return caught[0]


def of_draws() -> list[Measured]:
    """400 draws of all clicks on a base, and all its figures from them, against the random
    numbers alone."""
    base, camera = random_base(3), random_camera(3)
    marks = read_marks(truth(base, camera)["marks"])
    photo = PhotoInfo(camera.width, camera.height, 48)
    clicked = [points for root in marks.roots for points in (root.path, *_widths(root))]
    clicked += [marks.trunk.outline, *([marks.flare.outline] if marks.flare else [])]
    count, rng = sum(map(len, clicked)), np.random.default_rng(1)

    def numbers() -> None:
        rng.standard_normal((401, count, 2))

    def drawn() -> None:
        draws = Draws(marks.click_sd_px)
        for points in clicked:
            draws.points(points)

    figures = side_by_side(numbers, lambda: measure_top(marks, photo))
    return [
        Measured(
            "400 draws of all clicks; the random numbers", *side_by_side(numbers, drawn), "ms", 2
        ),
        Measured("all figures with their 400 draws; the random numbers", *figures, "ms", None),
    ]


def _widths(root: RootMark) -> list[Any]:
    return [pair for pair in (root.base_width, root.end_width) if pair is not None]


def of_intake() -> list[Measured]:
    """Photos of twelve megapixels checked, stored and made smaller, against their decoding."""
    from pillow_heif import from_pillow, register_heif_opener

    register_heif_opener()
    jpeg = take_photo(random_base(3), random_camera(3, *PHOTO_PX), date(2026, 3, 1))
    packed = io.BytesIO()
    from_pillow(Image.open(io.BytesIO(jpeg))).save(packed, quality=80)
    found = []
    for name, content, goal in (("JPEG", jpeg, 1.5), ("HEIC", packed.getvalue(), 1.1)):
        with tempfile.TemporaryDirectory() as folder:
            store = PhotoStore(Path(folder))

            def taken_in(content: bytes = content, store: PhotoStore = store) -> None:
                store.forget(store.keep(content, "a photo").digest)

            times = side_by_side(lambda c=content: Image.open(io.BytesIO(c)).load(), taken_in)  # type: ignore[misc]
        found.append(Measured(f"intake of a {name}; its decoding", *times, "ms", goal))
    return found


def of_start(folder: Path) -> list[Measured]:
    """The first page of a server against an application that declares as much and does nothing,
    and against importing the libraries alone."""
    lean = f"from tools.lean_app import declare; declare{declared()}"
    libraries = "import tools.lean_app"
    # As `mirvo serve` does it.
    full = (
        "import gc; gc.disable();"
        "from pathlib import Path; import uvicorn;"
        "from mirvo.studio.ground.context import Studio; from mirvo.web.app import create_app;"
        f"create_app(Studio(Path({str(folder)!r})))"
    )
    ways = (lean, libraries, full)
    times: list[list[float]] = [[] for _ in ways]
    # As on a second start: what Python compiled at the first is kept.
    with tempfile.TemporaryDirectory() as compiled:
        kept = {**os.environ, "PYTHONPYCACHEPREFIX": compiled, "PYTHONDONTWRITEBYTECODE": ""}
        for found, way in [*zip(times, ways, strict=True)] * (TIMES + 1):
            start = time.perf_counter()
            told = [sys.executable, "-c", f"{way}; print('ready', flush=True)"]
            with subprocess.Popen(told, env=kept, stdout=subprocess.PIPE) as process:
                # What Python clears away when it ends is no part of a start.
                said = process.stdout.readline() if process.stdout else b""
                found.append(1000 * (time.perf_counter() - start))
            if said != b"ready\n":
                raise RuntimeError(f"It did not start: {way}")
    # The first turn compiled.
    lean_ms, alone_ms, ready_ms = (one[1:] for one in times)
    least, alone = middle_turn(lean_ms, ready_ms), middle_turn(alone_ms, ready_ms)
    return [
        Measured("a server ready; a lean one that declares as much", *least, "ms", 1.15),
        Measured("a server ready; its libraries alone", *alone, "ms", None),
    ]


def declared() -> tuple[int, ...]:
    """What Mirvo declares at its start, as `tools.lean_app` takes it: how many, and how large on
    average. The interface for programs is made later and so does not count."""
    routes = sum(len(part.router.routes) for part in (*PARTS, *OTHER_PARTS))
    models = [one for one in _below(BaseModel) if _at_start(one.__module__)]
    records = [
        kind
        for name, module in list(sys.modules.items())
        if _at_start(name)
        for kind in vars(module).values()
        if isinstance(kind, type) and kind.__module__ == name and is_dataclass(kind)
    ]
    tables = Table.metadata.sorted_tables
    return (
        routes,
        *_size([len(one.model_fields) for one in models]),
        *_size([len(fields(one)) for one in records]),
        *_size([len(one.columns) for one in tables]),
    )


def _at_start(module: str) -> bool:
    return module.startswith("mirvo.") and not module.startswith("mirvo.web.api")


def _size(each: list[int]) -> tuple[int, int]:
    return len(each), round(sum(each) / len(each))


def _below(kind: type[Any]) -> set[type[Any]]:
    return {*kind.__subclasses__(), *(far for one in kind.__subclasses__() for far in _below(one))}


def lock_errors(folder: Path) -> int:
    """How many of eight writers at once, a hundred transactions each, met a lock."""
    code = (
        "import sys; from datetime import date, timedelta; from pathlib import Path;"
        "from mirvo.studio.ground.context import Studio;"
        "from mirvo.studio.standing.weather import put_night;"
        f"studio = Studio(Path({str(folder)!r})); n = int(sys.argv[1]);"
        f"[put_night(studio, date(2020, 1, 1) + timedelta(days=n * {WRITES} + k), 1.0)"
        f" for k in range({WRITES})]"
    )
    writers = [
        subprocess.Popen([sys.executable, "-c", code, str(number)]) for number in range(WRITERS)
    ]
    return sum(writer.wait() != 0 for writer in writers)


def memory_of_photos(folder: Path, port: int = 8791) -> Measured:
    """Memory of a server that took sixty photos in one request against one that took five, MB."""
    # Few pixels and many bytes: what is asked is what a request holds, not what looking costs.
    content = take_photo(random_base(3), random_camera(3, 800, 600), date(2026, 3, 1))
    content += bytes(PADDING)
    few, many = (_peak_mb(folder, port, content, count) for count in (FEW, MANY))
    return Measured(f"memory for {MANY} photos in one request; for {FEW}", few, many, "MB", 1.1)


def _peak_mb(folder: Path, port: int, content: bytes, count: int) -> float:
    """Most memory a fresh server held while it took so many photos in."""
    address = f"http://127.0.0.1:{port}"
    command = [sys.executable, "-m", "mirvo.cli", "serve", "--data", str(folder)]
    server = subprocess.Popen([*command, "--port", str(port)], stdout=subprocess.DEVNULL)
    try:
        for _ in range(600):
            try:
                httpx.get(f"{address}/trees/{TREE}", timeout=60)
                break
            except httpx.TransportError:
                time.sleep(0.1)
        with tempfile.TemporaryDirectory() as work:
            files = []
            for number in range(count):
                # A remark within the file makes each a photo of its own.
                remark = b"\xff\xfe\x00\x0a" + f"{time.monotonic_ns() % 10**8:08d}".encode()
                place = Path(work) / f"{number}.jpg"
                place.write_bytes(content[:2] + remark + content[2:])
                files.append(("files", (place.name, place.open("rb"), "image/jpeg")))
            answer = httpx.post(
                f"{address}/trees/{TREE}/photos",
                files=files,
                headers={"Origin": address},
                timeout=900,
            )
            if answer.status_code >= 400:
                raise SystemExit(f"photos were answered with {answer.status_code}")
        status = Path(f"/proc/{server.pid}/status").read_text()
        peak = re.search(r"VmHWM:\s+(\d+) kB", status)
        return int(peak[1]) / 1024 if peak else float("nan")
    finally:
        server.terminate()
        server.wait(30)


def all_of(demo: Path, large: Path) -> str:
    """The part of docs/benchmarks.md that sets work beside its floor."""
    rows = [*of_queries(large), *of_draws(), *of_intake(), *of_start(demo), memory_of_photos(demo)]
    errors = lock_errors(demo)
    return "\n".join(
        [
            "## Beside the floor",
            "",
            "The least the same work could be done with, measured in turns in the same run; the "
            "turn whose ratio is the middle of nine.",
            "",
            "| work; its floor | floor | Mirvo | ratio | aimed at |",
            "|---|---|---|---|---|",
            *(row.line for row in rows),
            "",
            f"{WRITERS} writers at once, {WRITES} transactions each: {errors} met a lock.",
            "",
        ]
    )
