"""The marks of photos taken from the side, one view or a turntable set: the file contract."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from mirvo.core.errors import BadInput
from mirvo.core.measure.contract import (
    STRICT,
    AnyCalibration,
    Contract,
    Focal,
    Millimetres,
    Outline,
    Pair,
    calibration_points,
    check_calibration,
    check_inside,
    numbered,
    read_contract,
)
from mirvo.core.measure.drafts import BallDraft, EmergenceDraft, Point, SoilLineTrialDraft

# Two points nearer than this turn the whole picture with one pixel of error.
MIN_SOIL_LINE_PX = 10.0
Edge = Annotated[tuple[Point, ...], Field(min_length=2, max_length=2000)]


class Emergence(EmergenceDraft):
    """Where a root leaves the trunk, as seen from this side."""

    model_config = STRICT
    label: Annotated[str, Field(min_length=1, max_length=12)]


class Ball(BallDraft):
    """The bare or soil-clad ball out of the pot, and wood seen in it.

    `wood` are widths across woody roots, two points each, as deep as such wood is seen.
    """

    model_config = STRICT
    outline: Outline
    wood: Annotated[tuple[Pair, ...], Field(max_length=60)] = ()
    trunk_diameter_mm: Millimetres | None = None


class Tried(SoilLineTrialDraft):
    """A soil line or pot rim tried at another height: level with `point`."""

    model_config = STRICT
    line: Literal["soil line", "pot rim"] = "soil line"


class SideMarks(Contract):
    """Everything marked on one photo taken from the side."""

    view: Literal["side"]
    calibration: AnyCalibration
    soil_line: Pair
    left_edge: Edge
    right_edge: Edge
    emergences: Annotated[tuple[Emergence, ...], Field(max_length=60)] = ()
    ball: Ball | None = None
    tried: Annotated[tuple[Tried, ...], Field(max_length=8)] = ()
    turntable_deg: Annotated[float, Field(ge=-720, le=720, allow_inf_nan=False)] = 0.0
    click_sd_px: Annotated[float, Field(ge=0, le=50)] = 2.0
    focal_length_35mm: Focal | None = None


def read_side_marks(data: Any, size: tuple[int, int] | None = None) -> SideMarks:
    """Check marks of a side view.

    Parameters
    ----------
    data : the parsed JSON. size : width and height of the photo in px, or None.

    Raises
    ------
    BadInput : names the first mark that cannot be used and why.
    """
    marks = read_contract(SideMarks, data)
    if size is not None:
        # Points outside belong to another photo, or to another size of this one.
        check_inside(_all_points(marks), size)
    check_calibration(marks.calibration)
    _soil_line_sound(marks)
    _emergences_sound(marks.emergences)
    return marks


def _all_points(marks: SideMarks) -> list[tuple[str, Point]]:
    points = [
        *calibration_points(marks.calibration),
        *numbered("soil_line", marks.soil_line),
        *numbered("left_edge", marks.left_edge),
        *numbered("right_edge", marks.right_edge),
        *(
            (f"emergences.{i}.point", emergence.point)
            for i, emergence in enumerate(marks.emergences)
        ),
    ]
    points += [(f"tried.{i}.point", trial.point) for i, trial in enumerate(marks.tried)]
    if marks.ball is not None:
        points += numbered("ball.outline", marks.ball.outline)
        for i, pair in enumerate(marks.ball.wood):
            points += numbered(f"ball.wood.{i}", pair)
    return points


def _soil_line_sound(marks: SideMarks) -> None:
    (ax, ay), (bx, by) = marks.soil_line
    # Length matters, not direction: the direction is looked at next.
    across, down = abs(bx - ax), abs(by - ay)
    if max(across, down) < MIN_SOIL_LINE_PX:
        raise BadInput("soil_line", "its two points lie on each other; set them left and right")
    if down > across:
        raise BadInput("soil_line", "it runs more up than across; turn the photo upright first")


def _emergences_sound(emergences: tuple[Emergence, ...]) -> None:
    seen: set[str] = set()
    for i, emergence in enumerate(emergences):
        if emergence.label in seen:
            raise BadInput(f"emergences.{i}.label", f"two emergences are called {emergence.label}")
        seen.add(emergence.label)
