"""Asking for help on a photo: proposals, traces, widths, outlines; nothing is kept by asking."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from mirvo.core.errors import BadInput
from mirvo.records.models import Photo
from mirvo.studio.context import Studio
from mirvo.studio.helper import Task
from mirvo.studio.marked import card_corners, read_draft
from mirvo.studio.photos import get_photo

FEW = "mark the calibration and the trunk's outline first; roots are sought from there"


def propose(studio: Studio, photo_id: int, marks: Any) -> Iterator[dict[str, Any]]:
    """Proposed roots of a photo, with messages on the way.

    Raises
    ------
    BadInput : calibration or trunk are not marked, or marked wrongly.
    """
    return studio.helper.ask(_task(studio, photo_id, "propose", marks, {}))


def make_ready(studio: Studio, photo_id: int, marks: Any) -> None:
    """Set a photo up ahead of the first question about it. Raises BadInput."""
    studio.helper.begin(_task(studio, photo_id, "ready", marks, {}))


def trace(studio: Studio, photo_id: int, marks: Any, tip: Any) -> dict[str, Any]:
    """Path and base width of the root that ends at a clicked tip. Raises BadInput."""
    drawn = _object(marks).get("roots") or []
    taken = [root["path"] for root in drawn if len(root.get("path") or []) >= 2]
    detail = {"tip": _point(tip), "taken": taken}
    return dict(studio.helper.answer(_task(studio, photo_id, "trace", marks, detail)))


def width(studio: Studio, photo_id: int, marks: Any, path: Any) -> dict[str, Any]:
    """Two points across the base of a root drawn by hand, and their stray. Raises BadInput."""
    points = _points(path, 2, "path", "draw the root first; its width is sought across it")
    return dict(studio.helper.answer(_task(studio, photo_id, "width", marks, {"path": points})))


def flanks(studio: Studio, photo_id: int, width: Any, path: Any) -> list[list[float]]:
    """The two points of a width drawn to the root's flanks, as far as the photo shows them.

    What the photo shows is weighed against the user's own click deviation. Raises BadInput.
    """
    photo = get_photo(studio, photo_id)
    ends = _points(width, 2, "base_width", "set both points of the width first")[:2]
    way = _points(path, 2, "path", "draw the root first; its flanks run beside it")
    for x, y in (*ends, *way):
        if not (-1 <= x <= photo.width and -1 <= y <= photo.height):
            raise BadInput("point", f"{x:g}, {y:g} lies outside the photo")
    detail = {"width": ends, "path": way, "click_sd_px": studio.yard().click_sd_px}
    return list(studio.helper.answer(_bare_task(studio, photo, "flanks", detail)))


def outline(studio: Studio, photo_id: int, rough: Any) -> dict[str, Any]:
    """A trunk outline from a rough one, how far it may lie off, and whether it follows an edge.

    Raises BadInput.
    """
    points = _points(rough, 5, "trunk.outline", "drag an ellipse round the trunk first")
    return dict(_snapped(studio, photo_id, "outline", points))


def edge(studio: Studio, photo_id: int, rough: Any) -> list[list[float]]:
    """A silhouette's edge snapped from a rough one. Raises BadInput."""
    points = _points(rough, 2, "edge", "draw the edge first; it is then snapped to the silhouette")
    return list(_snapped(studio, photo_id, "edge", points))


def _snapped(studio: Studio, photo_id: int, what: str, rough: list[list[float]]) -> Any:
    photo = get_photo(studio, photo_id)
    return studio.helper.answer(_bare_task(studio, photo, what, {"rough": rough}))


def _bare_task(studio: Studio, photo: Photo, what: str, detail: dict[str, Any]) -> Task:
    """A task that asks the picture alone: neither calibration nor trunk need be marked."""
    path = studio.photos.original(photo.digest)
    return Task(what, path, _info(photo), {}, None, detail)


def stop(studio: Studio) -> None:
    """Break off what the helper is doing."""
    studio.helper.stop()


def _task(studio: Studio, photo_id: int, what: str, marks: Any, detail: dict[str, Any]) -> Task:
    photo = get_photo(studio, photo_id)
    draft = _object(marks)
    if not draft.get("calibration") or not (draft.get("trunk") or draft.get("trunks")):
        raise BadInput("trunk", FEW)
    checked = read_draft(studio, photo, {**draft, "roots": []})
    by_card = checked.calibration.kind == "card"
    corners = card_corners(studio.photos, photo.digest).tolist() if by_card else None
    given = checked.model_dump(mode="json", exclude_none=True)
    path = studio.photos.original(photo.digest)
    return Task(what, path, _info(photo), given, corners, detail)


def _info(photo: Photo) -> tuple[int, int, float | None]:
    return photo.width, photo.height, photo.focal_length_35mm


def _object(marks: Any) -> dict[str, Any]:
    if not isinstance(marks, dict):
        raise BadInput("marks", "must be one JSON object")
    return marks


def _points(given: Any, fewest: int, field: str, otherwise: str) -> list[list[float]]:
    points = [_point(one) for one in given] if isinstance(given, list) else []
    if len(points) < fewest:
        raise BadInput(field, otherwise)
    return points


def _point(value: Any) -> list[float]:
    try:
        x, y = (float(part) for part in value)
    except (TypeError, ValueError):
        raise BadInput("point", "must be two numbers") from None
    return [x, y]
