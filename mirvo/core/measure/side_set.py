"""Several side views of a tree on a turntable, joined into emergences and a root plane."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field

from mirvo.core.errors import BadInput
from mirvo.core.measure.contract import Contract, read_contract
from mirvo.core.measure.drafts import MarksJson
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import EmergenceRecord, RootPlane, SideRecord
from mirvo.core.measure.root_plane import fit_root_plane, join_views, joined_measures
from mirvo.core.measure.side import SideView, measure_view, read_view
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.uncertainty import Array, Draws

TOO_FEW = (
    "A root plane needs at least three roots that do not stand in one line; mark more emergences."
)


class SideSetPhoto(Contract):
    """One view of a set."""

    file: Annotated[str, Field(min_length=1, max_length=1000)]
    marks: MarksJson


class SideSet(Contract):
    """The file contract of a turntable set."""

    view: Literal["side-set"]
    photos: Annotated[list[SideSetPhoto], Field(min_length=1, max_length=36)]


@dataclass(frozen=True)
class MarkedSide:
    """One view, ready to be measured. card_corners : (16, 2) px for kind card."""

    name: str
    marks: SideMarks
    photo: PhotoInfo
    card_corners: Array | None = None


@dataclass(frozen=True)
class SideSetMeasure:
    """The figures of every view, and what all of them show together.

    emergences : x at the first view. root_plane : None with fewer than three roots.
    """

    views: list[tuple[str, float, SideRecord]]
    emergences: tuple[EmergenceRecord, ...]
    root_plane: RootPlane | None


def read_side_set(data: Any) -> SideSet:
    """Check the list of a turntable set; each view's marks are checked by `read_side_marks`.

    Raises
    ------
    BadInput : names the first entry that cannot be used and why.
    """
    return read_contract(SideSet, data)


def measure_side_set(photos: list[MarkedSide]) -> SideSetMeasure:
    """Measure views of one tree; the first one shows the front.

    Raises
    ------
    BadInput : a view's marks do not determine its figures; says which.
    """
    views = _set_up(photos)
    measured = [
        (photo.name, photo.marks.turntable_deg, measure_view(view))
        for photo, view in zip(photos, views, strict=True)
    ]
    if not any(view.marks.emergences for view in views):
        return SideSetMeasure(measured, (), None)
    roots = join_views(views)
    return SideSetMeasure(measured, joined_measures(roots), fit_root_plane(roots))


def root_plane_of(photos: list[MarkedSide]) -> RootPlane | None:
    """The root plane alone, without the views' own figures; None with fewer than three roots.

    Raises
    ------
    BadInput : a view's marks do not determine its frame; says which.
    """
    views = _set_up(photos)
    if not any(view.marks.emergences for view in views):
        return None
    return fit_root_plane(join_views(views))


def _set_up(photos: list[MarkedSide]) -> list[SideView]:
    draws = Draws(photos[0].marks.click_sd_px)
    views = []
    for i, photo in enumerate(photos):
        own = draws.with_click_sd(photo.marks.click_sd_px)
        try:
            views.append(read_view(photo.marks, photo.photo, own, photo.card_corners))
        except BadInput as error:
            raise BadInput(f"photos.{i}.marks.{error.field}", error.message) from None
    return views
