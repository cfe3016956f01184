"""What the process that looks at photos can be asked: each a function of a photo and its marks.

They run in a process of their own, so everything heavy is imported here only when it is needed.
The last photos stay set up, so that a second question about one is quick.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from mirvo.core.measure.marks import TopMarks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.vision.offers import FoundOutline, FoundWidth, ProposedRoot, Spot, TracedRoot, spots
from mirvo.studio.ground.progress import report

if TYPE_CHECKING:
    from mirvo.core.vision.assist import Assistant

# A set photo takes some 200 MB; two let one go back and forth.
READY_PHOTOS = 2
# To find a place no error bars are needed.
FEW_DRAWS = 1
Spots = tuple[Spot, ...]


@dataclass(frozen=True)
class PhotoTask:
    """A photo to look at.

    marks : calibration and trunk without the roots, as JSON, so that tasks about the same
    photo are known again. corners : of the card, 16 points, where it is calibrated by card.
    """

    photo: Path
    info: PhotoInfo
    marks: str
    corners: Spots | None


def propose(task: PhotoTask) -> list[ProposedRoot]:
    """Roots believed to be seen, in the order of the clock."""
    helper = _assistant(task)
    report("Following the roots", 0.7)
    return [root.offered() for root in helper.propose()]


def trunk(task: PhotoTask) -> FoundOutline:
    """The trunk's outline as the photo shows it. Raises BadInput."""
    from mirvo.core.measure.calibration import calibrate_by
    from mirvo.core.measure.uncertainty import Draws
    from mirvo.core.vision.trunk import propose_trunk

    picture, marks, corners = _read(task)
    report("Looking for the trunk", 0.3)
    plane = calibrate_by(marks, task.info, Draws(0.0, FEW_DRAWS), corners)
    found = propose_trunk(picture, plane)
    return FoundOutline(
        outline=spots(found.outline), outline_sd_px=round(found.sd_px, 1), follows=found.seen
    )


def make_ready(task: PhotoTask) -> None:
    """Set a photo up ahead of the first question about it."""
    _assistant(task)


def trace(task: PhotoTask, tip: Spot, taken: list[Spots]) -> TracedRoot:
    """Path and base width of the root that ends at a tip. Raises BadInput."""
    return _assistant(task).trace(tip, [np.array(path) for path in taken])


def width(task: PhotoTask, path: Spots) -> FoundWidth:
    """Two points across the base of a root drawn by hand. Raises BadInput."""
    return _assistant(task).width_of(np.array(path))


def outline(photo: Path, rough: Spots) -> FoundOutline:
    """A trunk's outline drawn onto the picture's own edge, from a rough one."""
    from mirvo.core.vision.outline import set_outline

    found = set_outline(_picture(photo), np.array(rough))
    return FoundOutline(
        outline=spots(found.points), outline_sd_px=round(found.sd_px, 1), follows=found.follows
    )


def edge(photo: Path, rough: Spots) -> Spots:
    """A silhouette's edge drawn onto the picture's own, from a rough one."""
    from mirvo.core.vision.contour import snap_line

    return spots(snap_line(_picture(photo), np.array(rough)))


def flanks(photo: Path, across: Spots, path: Spots, click_sd_px: float) -> Spots:
    """The ends of a width drawn onto the root's own flanks."""
    from mirvo.core.vision.flanks import set_to_flanks

    found = set_to_flanks(_picture(photo), np.array(across), np.array(path), click_sd_px)
    return spots(found.points)


@lru_cache(maxsize=1)
def _picture(photo: Path) -> Any:
    """The photo last asked about stays decoded: widths are set one after the other."""
    from mirvo.records.pictures import colour_of

    return colour_of(photo.read_bytes())


def _read(task: PhotoTask) -> tuple[Any, TopMarks, Any]:
    """Picture, marks and the card's corners (16, 2), None without a card."""
    report("Reading the photo", 0.1)
    corners = None if task.corners is None else np.array(task.corners)
    return _picture(task.photo), TopMarks.model_validate_json(task.marks), corners


@lru_cache(maxsize=READY_PHOTOS)
def _assistant(task: PhotoTask) -> Assistant:
    from mirvo.core.vision.assist import assistant

    picture, marks, corners = _read(task)
    report("Looking for roots", 0.3)
    return assistant(marks, task.info, picture, corners)
