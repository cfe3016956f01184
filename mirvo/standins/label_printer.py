"""A simulated label printer: what it is sent lies in a folder, as strips hang from a real one."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

FOLDER = "printed labels"


@dataclass(frozen=True)
class LabelPrinter:
    """Prints into a folder of the studio."""

    studio: Path

    @property
    def folder(self) -> Path:
        return self.studio / FOLDER

    def send(self, job: bytes) -> Path:
        """Print a job; the file it came out as."""
        self.folder.mkdir(exist_ok=True)
        number = 1 + sum(1 for _ in self.folder.glob("*.pdf"))
        path = self.folder / f"{number:04d}.pdf"
        path.write_bytes(job)
        return path
