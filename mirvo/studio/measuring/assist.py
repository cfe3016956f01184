"""Asking for help on a photo: proposals, traces, widths, outlines; nothing is kept by asking."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from math import hypot
from typing import Any

from mirvo.core.errors import BadInput
from mirvo.core.measure.drafts import TopDraft, read_draft
from mirvo.core.vision.offers import FoundOutline, FoundWidth, ProposedRoot, Spot, TracedRoot
from mirvo.records.models import Photo
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring import vision_tasks
from mirvo.studio.measuring.measure_marks import checked_marks
from mirvo.studio.measuring.vision_tasks import PhotoTask
from mirvo.studio.photos.photo_queries import load_photo
from mirvo.studio.photos.photo_view import card_corners, info_of
from mirvo.studio.standing.tree_queries import measurements_of

TOO_FEW = "mark the calibration and the trunk's outline first; roots are sought from there"
NO_SCALE = "mark the calibration first: a card, a known length, or the pot rim"
# Of a line drawn by hand; its length in widths and heights of the photo.
MOST_POINTS, LONGEST_LINE = 400, 2.0
# Below the one doubted; above the other taken as sure, whatever was rejected before.
DOUBTFUL_BELOW, ALWAYS_OFFERED = 0.8, 0.97
# A proposal that starts so near to a marked root, in widths of the trunk, is that root.
SAME_ROOT_TRUNKS = 0.13


@dataclass(frozen=True)
class Offer:
    """A proposed root as the desk shows it. doubtful : to be looked at singly."""

    root: ProposedRoot
    doubtful: bool


def prepare_proposals(studio: Studio, photo_id: int, marks: Any) -> Callable[[Report], list[Offer]]:
    """The work of proposing roots of a photo that are not marked yet.

    Raises
    ------
    BadInput : calibration or trunk are not marked, or marked wrongly.
    """
    draft = _top_draft(marks)
    doubted = _doubted_up_to(studio, photo_id, draft)
    task = _task(studio, photo_id, draft)

    def propose(report: Report) -> list[Offer]:
        return _offers(studio.vision.watched(report, vision_tasks.propose, task), draft, doubted)

    return propose


def _offers(found: list[ProposedRoot], draft: TopDraft, doubted: float) -> list[Offer]:
    # The trunk's width is the only scale there is before roots are measured.
    xs = [x for trunk in draft.every_trunk for x, _ in trunk.outline]
    near = (max(xs) - min(xs)) * SAME_ROOT_TRUNKS
    known = [root.path[0] for root in draft.roots if root.path]
    known += [root.point for root in draft.rejected or ()]
    return [
        Offer(root, root.confidence <= doubted)
        for root in found
        if all(_apart(root.path[0], start) >= near for start in known)
    ]


def _doubted_up_to(studio: Studio, photo_id: int, draft: TopDraft) -> float:
    """How sure a proposal may be and still be doubted: as sure as any that the artist rejected
    on this photo or another of its tree."""
    with studio.reading() as db:
        rows = measurements_of(db, load_photo(db, photo_id).tree_id)
        others = [row.top_marks for row in rows if row.photo_id != photo_id]
    rejected = [root.confidence for one in (draft, *others) for root in one.rejected or ()]
    return min(max([DOUBTFUL_BELOW, *rejected]), ALWAYS_OFFERED)


def _apart(a: Spot, b: Spot) -> float:
    return hypot(a[0] - b[0], a[1] - b[1])


def make_ready(studio: Studio, photo_id: int, marks: Any) -> None:
    """Set a photo up ahead of the first question about it. Raises BadInput."""
    studio.vision.begin(vision_tasks.make_ready, _task(studio, photo_id, _top_draft(marks)))


def trunk(studio: Studio, photo_id: int, marks: Any) -> FoundOutline:
    """The trunk's outline as the photo shows it. Raises BadInput."""
    draft = _top_draft(marks)
    if draft.calibration is None:
        raise BadInput("calibration", NO_SCALE)
    bare = draft.model_copy(update={"trunk": None, "trunks": None})
    return studio.vision.answer(
        vision_tasks.trunk, _task(studio, photo_id, bare, trunk_drawn=False)
    )


def trace(studio: Studio, photo_id: int, marks: Any, tip: Any) -> TracedRoot:
    """Path and base width of the root that ends at a clicked tip. Raises BadInput."""
    draft = _top_draft(marks)
    taken = [root.path for root in draft.roots if len(root.path) > 1]
    task = _task(studio, photo_id, draft)
    at = _point(tip, _photo(studio, photo_id))
    return studio.vision.answer(vision_tasks.trace, task, at, taken)


def width(studio: Studio, photo_id: int, marks: Any, path: Any) -> FoundWidth:
    """Two points across the base of a root drawn by hand, and how sure. Raises BadInput."""
    photo = _photo(studio, photo_id)
    points = _points(photo, path, 2, "path", "draw the root first; its width is sought across it")
    task = _task(studio, photo_id, _top_draft(marks))
    return studio.vision.answer(vision_tasks.width, task, points)


def flanks(studio: Studio, photo_id: int, across: Any, path: Any) -> tuple[Spot, ...]:
    """The two points of a width drawn to the root's flanks, as far as the photo shows them.

    What the photo shows is weighed against the user's own click deviation. Raises BadInput.
    """
    with studio.reading() as db:
        photo, click_sd_px = load_photo(db, photo_id), yard_of(db).click_sd_px
    ends = _points(photo, across, 2, "base_width", "set both points of the width first")[:2]
    along = _points(photo, path, 2, "path", "draw the root first; its flanks run beside it")
    original = studio.photos.original(photo.digest)
    return studio.vision.answer(vision_tasks.flanks, original, ends, along, click_sd_px)


def outline(studio: Studio, photo_id: int, rough: Any) -> FoundOutline:
    """A trunk outline from a rough one, and whether it follows an edge. Raises BadInput."""
    photo = _photo(studio, photo_id)
    points = _points(photo, rough, 5, "trunk.outline", "drag an ellipse round the trunk first")
    original = studio.photos.original(photo.digest)
    return studio.vision.answer(vision_tasks.outline, original, points)


def edge(studio: Studio, photo_id: int, rough: Any) -> tuple[Spot, ...]:
    """A silhouette's edge snapped from a rough one. Raises BadInput."""
    photo = _photo(studio, photo_id)
    asked = "draw the edge first; it is then snapped to the silhouette"
    points = _points(photo, rough, 2, "edge", asked)
    original = studio.photos.original(photo.digest)
    return studio.vision.answer(vision_tasks.edge, original, points)


def _photo(studio: Studio, photo_id: int) -> Photo:
    with studio.reading() as db:
        return load_photo(db, photo_id)


def _top_draft(marks: Any) -> TopDraft:
    draft = read_draft({"roots": [], **marks} if isinstance(marks, dict) else marks, "top")
    if not isinstance(draft, TopDraft):
        raise BadInput("marks", "roots are sought on photos from above only")
    return draft


def _task(studio: Studio, photo_id: int, draft: TopDraft, trunk_drawn: bool = True) -> PhotoTask:
    """What the process that looks at photos is given. trunk_drawn : False to ask for the trunk."""
    with studio.reading() as db:
        photo, yard = load_photo(db, photo_id), yard_of(db)
    if draft.calibration is None or not (draft.every_trunk or not trunk_drawn):
        raise BadInput("trunk", TOO_FEW)
    # Roots half drawn would refuse the marks, and none is needed here.
    bare = draft.model_copy(update={"roots": ()})
    checked = checked_marks(photo, bare, yard, in_set=not trunk_drawn)
    corners = None
    if checked.calibration.kind == "card":
        found = card_corners(studio.photos, photo.digest)
        corners = tuple((float(x), float(y)) for x, y in found)
    # Only what roots are sought by: whatever else changes, the photo stays set up.
    basis = checked.model_dump_json(
        include={"view", "calibration", "trunk", "trunks", "front", "roots", "focal_length_35mm"},
        exclude_none=True,
    )
    original = studio.photos.original(photo.digest)
    return PhotoTask(original, info_of(photo), basis, corners)


def _points(photo: Photo, given: Any, fewest: int, field: str, otherwise: str) -> tuple[Spot, ...]:
    """A line of points as sent, such as a hand could draw on the photo."""
    given = given if isinstance(given, list) else []
    if len(given) > MOST_POINTS:
        raise BadInput(field, f"these are {len(given)} points; {MOST_POINTS} are the most")
    points = tuple(_point(point, photo) for point in given)
    if len(points) < fewest:
        raise BadInput(field, otherwise)
    # What is looked at grows with the line: one to and fro all over the photo is none.
    longest = LONGEST_LINE * (photo.width + photo.height)
    if sum(_apart(a, b) for a, b in pairwise(points)) > longest:
        raise BadInput(field, "this line goes to and fro; draw it along its edge once")
    return points


def _point(value: Any, photo: Photo) -> Spot:
    try:
        x, y = (float(part) for part in value)
    except (TypeError, ValueError, OverflowError):
        raise BadInput("point", "must be two numbers") from None
    # A point dragged to the edge may lie a pixel outside.
    if not (-1 <= x <= photo.width and -1 <= y <= photo.height):
        raise BadInput("point", f"{x:g}, {y:g} lies outside the photo")
    return x, y
