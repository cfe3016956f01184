"""Instruments that write through the interface: a thermometer, a scale and a camera by the bench.

    python -m mirvo.standins.instruments thermometer http://127.0.0.1:8000 TOKEN
    python -m mirvo.standins.instruments scale http://127.0.0.1:8000 TOKEN TREE 340
    python -m mirvo.standins.instruments camera http://127.0.0.1:8000 TOKEN TREE PHOTO.jpg

Real ones do the same: a line or two of any language that can send a request.
"""

from __future__ import annotations

import json
import sys
import urllib.request
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from uuid import uuid4

from mirvo.standins.weather import SimulatedStation

ROOT = "/api/v1"
PATIENCE_S = 60


@dataclass(frozen=True)
class Line:
    """The way to a studio: its address, and the token that opens it."""

    address: str
    token: str

    def send(self, method: str, path: str, body: bytes, kind: str = "application/json") -> Any:
        """Send a request; what was answered. Raises urllib.error.HTTPError where it was refused."""
        request = urllib.request.Request(  # noqa: S310 # the address its owner gave
            f"{self.address}{ROOT}{path}",
            body,
            {"Authorization": f"Bearer {self.token}", "Content-Type": kind},
            method=method,
        )
        with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:  # noqa: S310
            return json.loads(answer.read())


@dataclass(frozen=True)
class Thermometer:
    """Writes the minimum of each night, here of the simulated station."""

    line: Line
    station: SimulatedStation

    def write(self, night: date) -> Any:
        low = round(self.station.normal(night).low_c, 1)
        said = {"night": night.isoformat(), "low_c": low}
        return self.line.send("PUT", "/nights", json.dumps(said).encode())


@dataclass(frozen=True)
class Scale:
    """Writes what lies on it into the session that runs for a tree."""

    line: Line

    def write(self, tree_id: int, what: str, grams: float) -> Any:
        """what : "offcuts" or "ball"."""
        said = json.dumps({"what": what, "grams": grams}).encode()
        return self.line.send("POST", f"/trees/{tree_id}/weighings", said)

    def weigh_pot(self, tree_id: int, grams: float) -> Any:
        """A tree in its pot as it stands on the bench, g."""
        said = json.dumps({"grams": grams}).encode()
        return self.line.send("POST", f"/trees/{tree_id}/weights", said)


@dataclass(frozen=True)
class BenchCamera:
    """Sends each photo it takes to a tree."""

    line: Line

    def write(self, tree_id: int, photo: Path, kind: str = "top") -> Any:
        edge = uuid4().hex
        parts = [
            f'--{edge}\r\nContent-Disposition: form-data; name="kind"\r\n\r\n{kind}\r\n'.encode(),
            f'--{edge}\r\nContent-Disposition: form-data; name="photo"; filename="{photo.name}"\r\n'
            "Content-Type: application/octet-stream\r\n\r\n".encode(),
            photo.read_bytes(),
            f"\r\n--{edge}--\r\n".encode(),
        ]
        kind_of_body = f"multipart/form-data; boundary={edge}"
        return self.line.send("POST", f"/trees/{tree_id}/photos", b"".join(parts), kind_of_body)


def main(words: list[str]) -> None:
    """One instrument writes once, as the words say."""
    what, address, token, *rest = words
    line = Line(address.rstrip("/"), token)
    if what == "thermometer":
        print(Thermometer(line, SimulatedStation("Brackwater", "04-20")).write(date.today()))
    elif what == "scale":
        print(Scale(line).write(int(rest[0]), "offcuts", float(rest[1])))
    elif what == "camera":
        print(BenchCamera(line).write(int(rest[0]), Path(rest[1])))
    else:
        raise SystemExit(f"{what} is no instrument here: thermometer, scale, camera")


if __name__ == "__main__":
    main(sys.argv[1:])
