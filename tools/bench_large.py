"""What pages cost in a large yard: processor time on the demo yard and on a thousand trees.

    python -m tools.bench_large

makes docs/benchmarks.md.
"""

from __future__ import annotations

import gc
import os
import platform
import re
import shutil
import sqlite3
import tempfile
import time
from pathlib import Path

from mirvo.demo.load import load_demo
from mirvo.studio.bench_session.session import begin
from mirvo.studio.ground.context import Studio
from mirvo.studio.standing.tree_list import list_trees
from mirvo.web.app import create_app
from mirvo.web.garbage import collect_beside
from tests.client import TestClient
from tools.bench_floors import TREE, all_of
from tools.large_yard import make

PAGE = Path("docs/benchmarks.md")
TIMES = 125
PAGES = (
    "/", "/trees", "/almanac", "/almanac/practice", "/materials", "/kit", "/kit/calendar.ics",
    "/find?q=har", "/trees/3", "/trees/3/years", "/trees/3/path", "/trees/3/time",
    "/trees/3/photos", "/trees/3/sessions", "/trees/new", "/photos/3/desk",
    "/bench-sessions/{open}",
)  # fmt: skip
# The finder answers while letters are typed.
AS_TYPED = {"HX-Request": "true"}
TABLES = ("trees", "root_sessions", "measurements", "roots", "photos")
MARKED_ROOTS = (
    "SELECT sum(json_array_length(marks, '$.body.roots')) FROM measurements WHERE view = 'top'"
)
HEAD = """# What pages cost, and how it grows

Made by `python -m tools.bench_large`: processor time of a page in ms, the better of three, on the
demo yard and on one made of its shapes, with the lines of lists known. {machine}.

"""


def held_mb() -> float:
    """Memory this process holds now, MB; its peak may be of what was done before."""
    held = re.search(r"VmRSS:\s+(\d+) kB", Path("/proc/self/status").read_text())
    return int(held[1]) / 1024 if held else float("nan")


def costs(folder: Path) -> tuple[dict[str, float], float, float]:
    """Processor time of each page and of the list of all trees from nothing, ms; memory, MB."""
    studio = Studio(folder)
    client = TestClient(create_app(studio))
    # Plans are looked through beside the pages after a start; that is not what a page costs.
    if studio.replanner is not None:
        studio.replanner.close()
    opened = begin(studio, TREE, "routine").id
    before = held_mb()
    start = time.process_time()
    with studio.reading() as db:
        list_trees(db, studio.today)
    first = 1000 * (time.process_time() - start)
    gc.collect()
    memory = held_mb() - before
    found = {}
    for name in PAGES:
        page, times = name.format(open=opened), []
        for _ in range(3):
            start = time.process_time()
            answer = client.get(page, headers=AS_TYPED if page.startswith("/find") else {})
            times.append(1000 * (time.process_time() - start))
            if answer.status_code != 200:
                raise SystemExit(f"{page} answered {answer.status_code}")
        found[name] = min(times)
    studio.close()
    return found, first, memory


def main() -> None:
    collect_beside()
    work = Path(tempfile.mkdtemp())
    load_demo(work / "demo")
    make(work / "demo", work / "large", TIMES)
    with sqlite3.connect(work / "large" / "mirvo.sqlite3") as db:
        counts = [db.execute(f"SELECT count(*) FROM {one}").fetchone()[0] for one in TABLES]
        [marked] = db.execute(MARKED_ROOTS).fetchone()
    small, small_first, _ = costs(work / "demo")
    large, large_first, memory = costs(work / "large")
    floors = all_of(work / "demo", work / "large")
    shutil.rmtree(work)
    held = ", ".join(f"{count:,} {name}" for count, name in zip(counts, TABLES, strict=True))
    held += f"; {marked:,} roots marked in its measurements"
    machine = f"{os.cpu_count()} cores, Python {platform.python_version()}"
    names = {page: page.format(open="one begun") for page in PAGES}
    lines = [
        HEAD.format(machine=machine) + f"The large yard: {held}.\n".replace("_", " "),
        "| page | demo yard | large yard | growth |",
        "|---|---|---|---|",
        *(
            f"| {said} | {small[page]:.0f} | {large[page]:.0f} | {large[page] / small[page]:.1f} |"
            for page, said in names.items()
        ),
        f"| all lines from nothing | {small_first:.0f} | {large_first:.0f} "
        f"| {large_first / small_first:.1f} |",
        "",
        f"The known lines of the large yard take {memory:.0f} MB. They are worked out beside the "
        "requests after a start and on a new day.",
        "",
        floors,
    ]
    PAGE.write_text("\n".join(lines))
    print(PAGE.read_text())


if __name__ == "__main__":
    main()
