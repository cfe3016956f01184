"""What all mark files share: points, calibrations, and complaints that name the place.

Points are pixels of the photo after its EXIF orientation is applied, x right,
y down, whole numbers at pixel centres.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput
from mirvo.core.measure.drafts import Point

Pair = tuple[Point, Point]
Outline = Annotated[tuple[Point, ...], Field(min_length=3, max_length=2000)]
Millimetres = Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)]
Offset = Annotated[float, Field(ge=-500, le=500, allow_inf_nan=False)]
Deviation = Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
Focal = Annotated[float, Field(ge=8, le=1200, allow_inf_nan=False)]


STRICT = ConfigDict(extra="forbid", frozen=True)


class Contract(BaseModel):
    """Base of the file contracts: unknown names are refused, so typing errors show."""

    model_config = STRICT


AnyContract = TypeVar("AnyContract", bound=BaseModel)


class _Reference(Contract):
    height_above_root_plane_mm: Offset = 0.0
    height_plus_minus_mm: Annotated[float, Field(ge=0, le=200)] = 3.0
    camera_height_mm: Annotated[float, Field(ge=50, le=20_000)] | None = None
    focal_length_35mm: Focal | None = None


class CardCalibration(_Reference):
    """check_line_mm : what the line of 100 mm on the print measures; None while nobody has."""

    kind: Literal["card"]
    check_line_mm: Annotated[float, Field(ge=50, le=150)] | None = None


class SegmentCalibration(_Reference):
    kind: Literal["segment"]
    a: Point
    b: Point
    length_mm: Millimetres


class RectangleCalibration(_Reference):
    kind: Literal["rectangle"]
    corners: tuple[Point, Point, Point, Point]
    length_mm: Millimetres
    width_mm: Millimetres


class EllipseCalibration(_Reference):
    kind: Literal["ellipse"]
    points: Annotated[tuple[Point, ...], Field(min_length=5, max_length=400)]
    length_mm: Millimetres
    width_mm: Millimetres
    long_axis: Pair | None = None


AnyCalibration = Annotated[
    CardCalibration | SegmentCalibration | RectangleCalibration | EllipseCalibration,
    Field(discriminator="kind"),
]


KINDS = frozenset({"card", "segment", "rectangle", "ellipse"})
SENTENCES = {
    "union_tag_invalid": "has an unknown kind; use card, rectangle, ellipse or segment",
    "union_tag_not_found": "needs a kind: card, rectangle, ellipse or segment",
}
TOO_SHORT = {
    "path": "a root's path needs at least two points",
    "outline": "an outline needs at least three points",
    "points": "an ellipse needs at least five points on the rim",
}


def as_bad_input(error: ValidationError) -> BadInput:
    """The first complaint of a validation as one sentence with the field's path."""
    kind = error.errors(include_url=False, include_input=False)[0]["type"]
    found = first_complaint(error, KINDS)
    sentence = SENTENCES.get(kind)
    if kind == "too_short":
        sentence = TOO_SHORT.get(found.field.rsplit(".", 1)[-1])
    return found if sentence is None else BadInput(found.field, sentence)


def read_contract(contract: type[AnyContract], data: Any) -> AnyContract:
    """Parsed JSON as a file contract. Raises BadInput with the first complaint."""
    if not isinstance(data, dict):
        raise BadInput("marks", "must be one JSON object")
    try:
        return contract.model_validate(data)
    except ValidationError as error:
        raise as_bad_input(error) from None


def calibration_points(cal: AnyCalibration) -> Iterator[tuple[str, Point]]:
    """Each point marked for a calibration with its field path."""
    if isinstance(cal, SegmentCalibration):
        yield from (("calibration.a", cal.a), ("calibration.b", cal.b))
    elif isinstance(cal, RectangleCalibration):
        yield from numbered("calibration.corners", cal.corners)
    elif isinstance(cal, EllipseCalibration):
        yield from numbered("calibration.points", cal.points)


def numbered(path: str, points: Any) -> Iterator[tuple[str, Point]]:
    """Points of a list, each with its own field path."""
    return ((f"{path}.{i}", point) for i, point in enumerate(points))


def check_inside(points: Iterable[tuple[str, Point]], size: tuple[int, int]) -> None:
    """Every point must lie in the picture of `size` (width, height) px."""
    width, height = size
    for path, (x, y) in points:
        if not (-0.5 <= x <= width - 0.5 and -0.5 <= y <= height - 0.5):
            raise BadInput(
                path,
                f"the point ({x:.0f}, {y:.0f}) lies outside the picture of {width} × {height} px",
            )


def check_calibration(cal: AnyCalibration) -> None:
    """The points of a calibration must be able to give a scale."""
    if isinstance(cal, SegmentCalibration) and close(cal.a, cal.b):
        raise BadInput(
            "calibration", "the two points lie on each other; set them far apart on a known length"
        )
    if isinstance(cal, RectangleCalibration):
        _rectangle_sound(cal)


def _rectangle_sound(cal: RectangleCalibration) -> None:
    corners = cal.corners
    for i in range(4):
        for j in range(i):
            if close(corners[i], corners[j]):
                raise BadInput(
                    "calibration.corners", f"corners {j + 1} and {i + 1} lie on each other"
                )
    turns = []
    for i in range(4):
        (ax, ay), (bx, by), (cx, cy) = (corners[(i + k) % 4] for k in range(3))
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    if all(turn < 0 for turn in turns):
        raise BadInput(
            "calibration.corners",
            "the corners run anticlockwise: the photo is mirrored or the order is turned round",
        )
    if not all(turn > 0 for turn in turns):
        raise BadInput(
            "calibration.corners",
            "the four corners do not make a rectangle seen from above; go round it clockwise",
        )


def close(a: Point, b: Point) -> bool:
    """Whether two points lie within two pixels of each other each way."""
    return abs(a[0] - b[0]) < 2 and abs(a[1] - b[1]) < 2
