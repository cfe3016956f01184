"""Whether what Mirvo acknowledged outlives what happens to computers:

    python -m tools.endurance kills [COUNT]        the server killed while it is written to
    python -m tools.endurance full-disk FOLDER     on a small file system that fills up
    python -m tools.endurance read-only FOLDER     started on one that cannot be written
    python -m tools.endurance elsewhere            asked from another network namespace

The last three need a Linux system and the right to mount, or to make namespaces; see
docs/endurance.md for how they are set up.
"""

from __future__ import annotations

import io
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image

from mirvo.studio.bench_session.session import bench_state
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.people import PersonFields, add_person, set_reachable
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.yard.checkup import check_folder

PORT, WRITERS = 8131, 3
KINDS = ("routine",)
PASSPHRASE = "a long one for the test"  # of a studio made for one run


@dataclass
class Acknowledged:
    """What the server said it had kept."""

    entries: set[str] = field(default_factory=set)
    photos: set[str] = field(default_factory=set)
    refused: list[str] = field(default_factory=list)


class Served:
    """A server on a data folder, killed and started at will."""

    def __init__(self, folder: Path, *before: str, reach: str = "127.0.0.1") -> None:
        self.folder, self.before, self.reach = folder, before, reach
        self.process: subprocess.Popen[str] | None = None
        # Not a pipe: nobody reads it meanwhile, and a full one would hold the server up.
        self.said = tempfile.TemporaryFile("w+")  # noqa: SIM115 # as long as the run

    @property
    def client(self) -> httpx.Client:
        return httpx.Client(base_url=f"http://{self.reach}:{PORT}", timeout=20)

    def start(self) -> None:
        command = [sys.executable, "-m", "mirvo.cli", "serve", "--data", str(self.folder)]
        self.process = subprocess.Popen(  # our own command
            [*self.before, *command, "--port", str(PORT)],
            stdout=self.said,
            stderr=subprocess.STDOUT,
            text=True,
        )
        while self.process.poll() is None:
            try:
                self.client.get("/kit/card.svg")
            except httpx.HTTPError:
                time.sleep(0.05)
            else:
                return
        self.said.seek(0)
        raise SystemExit(f"it did not start: {self.said.read()}")

    def kill(self, how: signal.Signals = signal.SIGKILL) -> None:
        assert self.process is not None
        self.process.send_signal(how)
        self.process.wait()


def a_session(client: httpx.Client) -> int:
    """A tree with a session at the bench; the session's number."""
    tree = client.post("/trees", data={"name": "Quay privet", "species_key": "privet"})
    where = f"{tree.headers['location']}/bench-sessions"
    answer = client.post(where, data={"kind": "routine"})
    return int(answer.headers["location"].split("/")[2])


def picture(seed: int) -> bytes:
    """A small photo that nobody else took."""
    out = io.BytesIO()
    noise = np.random.default_rng(seed).integers(0, 255, (600, 800, 3), np.uint8)
    Image.fromarray(noise).save(out, "JPEG", quality=60)
    return out.getvalue()


def write(client: httpx.Client, bench: int, kept: Acknowledged, until: threading.Event) -> None:
    """Tap and photograph until told to stop, noting what was acknowledged."""
    rng = random.Random(uuid.uuid4().int)  # no secret
    while not until.is_set():
        name = uuid.uuid4().hex
        entry: dict[str, Any] = {"id": name, "field": "ball_depth_before", "value": "80"}
        try:
            if rng.random() < 0.7:
                sent = {"entries": [{**entry, "at": datetime.now(UTC).isoformat()}]}
                answer = client.post(f"/bench-sessions/{bench}/entries", json=sent)
                if answer.status_code == httpx.codes.OK and name in answer.json()["kept"]:
                    kept.entries.add(name)
            else:
                answer = client.post(
                    f"/bench-sessions/{bench}/photos",
                    data={"id": name, "step": "lift"},
                    files={"photo": (f"{name}.jpg", picture(rng.randrange(1 << 30)), "image/jpeg")},
                    headers={"accept": "application/json"},
                )
                if answer.status_code == httpx.codes.OK:
                    kept.photos.add(f"{name}.jpg")
            if answer.status_code != httpx.codes.OK:
                kept.refused.append(f"{answer.status_code}: {answer.text[:200]}")
        except (httpx.HTTPError, json.JSONDecodeError):
            # Killed in the middle: nothing was acknowledged.
            time.sleep(0.02)


def missing(folder: Path, bench: int, kept: Acknowledged) -> list[str]:
    """What was acknowledged and is not there any more, and what is not sound."""
    from sqlalchemy import select

    from mirvo.records.models import BenchEntry

    studio = Studio(folder, clock=lambda: datetime.now(UTC))
    try:
        with studio.reading() as db:
            there = set(db.scalars(select(BenchEntry.id)))
            photos = {photo.file_name for photo in photos_of(db, bench_state(db, bench).tree.id)}
        lost = [*(kept.entries - there), *(kept.photos - photos)]
        found = check_folder(studio)
        return [*lost, *(found.sentences() if found.lost else ())]
    finally:
        studio.close()


def kills(count: int) -> None:
    """Kill the server `count` times at any moment of being written to."""
    folder = Path(tempfile.mkdtemp())
    served, kept, rng = Served(folder / "data"), Acknowledged(), random.Random(7)
    served.start()
    bench = a_session(served.client)
    for number in range(count):
        stop = threading.Event()
        writers = [
            threading.Thread(target=write, args=(served.client, bench, kept, stop))
            for _ in range(WRITERS)
        ]
        for writer in writers:
            writer.start()
        # A server just started is slow at first: some are killed then, more when it writes away.
        time.sleep(rng.uniform(0.1, 3.0))
        served.kill()
        stop.set()
        for writer in writers:
            writer.join()
        if number % 20 == 0 or number == count - 1:
            lost = missing(folder / "data", bench, kept)
            print(f"{number + 1} kills: {_said(kept)}, lost {lost or 'nothing'}", flush=True)
        served.start()
    served.kill(signal.SIGTERM)
    shutil.rmtree(folder)


def full_disk(place: Path) -> None:
    """Write until nothing more goes in; then make room, and write on."""
    served, kept, stop = Served(place / "data"), Acknowledged(), threading.Event()
    served.start()
    bench = a_session(served.client)
    ballast = place / "ballast"
    free = shutil.disk_usage(place).free
    ballast.write_bytes(os.urandom(max(0, free - 1_500_000)))
    writer = threading.Thread(target=write, args=(served.client, bench, kept, stop))
    writer.start()
    time.sleep(15)
    print(f"full: {_said(kept)}; said {sorted(set(kept.refused))[:3]}")
    print(f"a page meanwhile: {served.client.get('/').status_code}")
    before = len(kept.entries) + len(kept.photos)
    ballast.unlink()
    time.sleep(5)
    stop.set()
    writer.join()
    print(f"room again: {len(kept.entries) + len(kept.photos) - before} more were kept")
    served.kill(signal.SIGTERM)
    print(f"lost {missing(place / 'data', bench, kept) or 'nothing'}")


def read_only(place: Path) -> None:
    """Start on a folder that cannot be written, and say what it says."""
    command = [sys.executable, "-m", "mirvo.cli", "serve", "--data", str(place / "data")]
    ended = subprocess.run(  # our own command
        [*command, "--port", str(PORT)], capture_output=True, text=True, timeout=60, check=False
    )
    print(ended.returncode, ended.stderr.strip() or ended.stdout.strip())


def elsewhere() -> None:
    """Asked from another network namespace: by default nobody answers; let in, they sign in.

    The namespaces and their addresses are set up by whoever starts this; see docs/endurance.md.
    """
    here, there = "10.77.0.1", ("ip", "netns", "exec", "mirvo-guest")
    folder = Path(tempfile.mkdtemp())
    for reachable in (False, True):
        if reachable:
            studio = Studio(folder / "data", clock=lambda: datetime.now(UTC))
            form = {"person_name": "Ada", "role": "owner", "passphrase": PASSPHRASE}
            add_person(studio, PersonFields.model_validate(form))
            set_reachable(studio, True)
            studio.close()
        served = Served(folder / "data")
        served.start()
        for path in ("/", "/trees", "/sign-in"):
            form = "%{http_code} %{redirect_url}"
            ask = ("curl", "-s", "-o", "/dev/null", "-m", "5", "-w", form)
            asked = subprocess.run(  # our own command
                [*there, *ask, f"http://{here}:{PORT}{path}"],
                capture_output=True,
                text=True,
                check=False,
            )
            print(f"let in: {reachable}, {path}: {asked.stdout or asked.returncode}")
        served.kill(signal.SIGTERM)
    shutil.rmtree(folder)


def _said(kept: Acknowledged) -> str:
    return f"{len(kept.entries)} entries and {len(kept.photos)} photos acknowledged"


if __name__ == "__main__":
    what, *more = sys.argv[1:]
    if what == "kills":
        kills(int(more[0]) if more else 240)
    elif what == "full-disk":
        full_disk(Path(more[0]))
    elif what == "read-only":
        read_only(Path(more[0]))
    else:
        elsewhere()
