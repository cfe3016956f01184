"""Measures how fast Mirvo is: medians in milliseconds and ratios to a floor, in one run."""

from __future__ import annotations

import io
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.top import measure_top
from mirvo.core.plan.case import read_case
from mirvo.core.plan.paths import plan
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.search import find_routes
from mirvo.demo.load import load_demo
from mirvo.records.pictures import smaller
from mirvo.standins.base import random_base
from mirvo.standins.camera import PHONE_FOCAL_35MM, phone_camera, random_camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import card_seen, take_photo, true_marks, truth
from mirvo.standins.scene import Layout
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import open_desk
from mirvo.studio.path.path import path_view
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.core.plan.enumeration import Enumeration
from tools.bench_cases import HARD_CASES, hard_case, small_case

SMALL_CASES = 8
CARD_SCENES, MAX_TILT_DEG = 10, 18.0
CARD = CardPlace(10.0, -190.0, 8.0, 15.0)


def timed(work: Callable[[], object], runs: int = 15) -> list[float]:
    """Milliseconds of each run after one warm-up."""
    work()
    found = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        found.append((time.perf_counter() - start) * 1000)
    return found


def say(name: str, times: list[float], floor: float | None = None) -> float:
    median = statistics.median(times)
    ninth = sorted(times)[int(len(times) * 0.9)]
    ratio = "" if floor is None else f"  {median / floor:6.2f} times its floor"
    print(f"{name:<52}{median:9.1f} ms median{ninth:9.1f} ms 90th{ratio}")
    return median


def process(code: str) -> Callable[[], object]:
    return lambda: subprocess.run([sys.executable, "-c", code], check=True)


def start_up(folder: Path) -> None:
    lean = "import fastapi, uvicorn, jinja2, sqlalchemy.orm, pydantic_settings"
    full = (
        "from pathlib import Path; import asyncio, uvicorn;"
        "from mirvo.studio.ground.context import Studio; from mirvo.web.app import create_app;"
        f"app = create_app(Studio(Path({str(folder)!r})));"
        "scope = dict(type='http', method='GET', path='/', raw_path=b'/', query_string=b'',"
        " headers=[], http_version='1.1', scheme='http', server=('x', 1), root_path='');"
        "sent = [];\n"
        "async def receive(): return dict(type='http.request', body=b'')\n"
        "async def send(part): sent.append(part)\n"
        "asyncio.run(app(scope, receive, send)); assert sent[0]['status'] == 200"
    )
    floor = say("start: the libraries alone", timed(process(lean), 7))
    say("start: to the first page", timed(process(full), 7), floor)


def pages(client: TestClient) -> None:
    for name, place in (
        ("page: bench", "/"),
        ("page: trees", "/trees"),
        ("page: tree sheet", "/trees/1"),
        ("page: path, plan kept", "/trees/1/path"),
    ):
        say(name, timed(lambda place=place: client.get(place)))  # type: ignore[misc]


def desk(client: TestClient, studio: Studio) -> None:
    """A dragged point: marks sent, measured with 400 draws, kept, figures and wheel back."""
    with studio.reading() as db:
        state = open_desk(db, studio, 3)
    revision, marks = [state.revision], state.marks.as_json()

    def drag() -> None:
        marks["roots"][0]["path"][-1][0] += 1.0
        answer = client.put("/photos/3/marks", json={"revision": revision[0], "marks": marks})
        revision[0] = answer.json()["revision"]

    say("desk: recompute after a dragged point, round trip", timed(drag, 40))


def core() -> None:
    base, camera = random_base(3), random_camera(3)
    marks = read_marks(truth(base, camera)["marks"])
    photo = PhotoInfo(camera.width, camera.height, 48)
    count = sum(len(root.path) + 4 for root in marks.roots) + len(marks.trunk.outline)
    count += len(marks.flare.outline) if marks.flare else 0
    rng = np.random.default_rng(1)
    floor = say("draws: random numbers alone", timed(lambda: rng.standard_normal((401, count, 2))))
    say("draws: all figures with 400 draws", timed(lambda: measure_top(marks, photo)), floor)
    times = [statistics.median(timed(with_a_card(seed))) for seed in range(CARD_SCENES)]
    say(f"draws: the same on 12 megapixels with a card, {CARD_SCENES} bases", times)


def with_a_card(seed: int) -> Callable[[], object]:
    """All figures of one base photographed by a phone, the card beside the trunk."""
    base, camera = random_base(seed), phone_camera(seed, MAX_TILT_DEG)
    marks = read_marks(true_marks(base, camera, Layout(card=CARD)))
    photo = PhotoInfo(camera.width, camera.height, PHONE_FOCAL_35MM)
    corners = card_seen(CARD, camera)
    return lambda: measure_top(marks, photo, corners)


def intake() -> None:
    content = take_photo(random_base(3), random_camera(3, 4032, 3024), date(2026, 3, 1))

    def decode() -> None:
        Image.open(io.BytesIO(content)).load()

    floor = say("photo: decode of 12 megapixels", timed(decode, 7))
    say("photo: three derivatives made", timed(lambda: smaller(content), 7), floor)


def planning(studio: Studio) -> None:
    for tree in (1, 3):
        with studio.reading() as db:
            case = path_view(db, tree, studio.today).case
        assert case is not None
        say(f"plan: three paths, demo tree {tree}", timed(lambda c=case: plan(c), 5))  # type: ignore[misc]
    hard = [read_case(hard_case(seed)) for seed in range(HARD_CASES)]
    results = [plan(case) for case in hard]
    unsettled = sum(not path.settled for result in results for path in result.paths)
    times = [statistics.median(timed(lambda c=case: plan(c), 1)) for case in hard]  # type: ignore[misc]
    say(f"plan: six faults, three gaps, 15 years, {HARD_CASES} cases", times)
    print(f"{'plan: ways left unsettled in these':<52}{unsettled:9d}")
    print(f"{'plan: memory of a process that plans these':<52}{planning_memory_mb():9.0f} MB")
    small = [small_case(seed) for seed in range(SMALL_CASES)]
    every_way = once(lambda case: Enumeration(case, "steady").run(), small)
    plain = say("plan: small cases, every way tried", every_way)
    searched = once(lambda case: find_routes(PlanningProblem(read_case(case), "steady")), small)
    say("plan: small cases, searched", searched, plain)


def planning_memory_mb() -> float:
    """Most memory of a process that does nothing but plan the hard cases, in megabytes."""
    code = (
        "import resource; from tools.bench_cases import HARD_CASES, hard_case;"
        "from mirvo.core.plan.case import read_case; from mirvo.core.plan.paths import plan;"
        "[plan(read_case(hard_case(seed))) for seed in range(HARD_CASES)];"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)"
    )
    done = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
    return float(done.stdout)


def once(work: Callable[[dict[str, Any]], object], cases: list[dict[str, Any]]) -> list[float]:
    """Milliseconds of each case, nothing warm."""
    found = []
    for case in cases:
        start = time.perf_counter()
        work(case)
        found.append((time.perf_counter() - start) * 1000)
    return found


def main() -> None:
    work = Path(tempfile.mkdtemp())
    start = time.perf_counter()
    load_demo(work / "demo")
    print(f"{'demo: the whole yard made':<52}{(time.perf_counter() - start) * 1000:9.1f} ms once")
    studio = Studio(work / "demo")
    client = TestClient(create_app(studio))
    start_up(work / "demo")
    pages(client)
    desk(client, studio)
    core()
    intake()
    planning(studio)
    shutil.rmtree(work)


if __name__ == "__main__":
    main()
