"""The marks an artist sets on a photo from above: the stable file contract.

Points are pixels of the photo after its EXIF orientation is applied, x right,
y down, whole numbers at pixel centres.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from math import hypot
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError
from shapely.geometry import LineString, Polygon
from shapely.validation import explain_validity, make_valid

from mirvo.core.errors import BadInput

TINY_LOOP = 0.05
MOST_BASE_SHARE = 0.8
LEAST_JUDGED_PX = 16.0
LEAST_ACROSS_SINE = 0.31
Point = tuple[FiniteFloat, FiniteFloat]
Pair = tuple[Point, Point]
Millimetres = Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)]
Offset = Annotated[float, Field(ge=-500, le=500, allow_inf_nan=False)]
Focal = Annotated[float, Field(ge=8, le=1200, allow_inf_nan=False)]


class Contract(BaseModel):
    """Base of the file contracts: unknown names are refused, so typing errors show."""

    model_config = ConfigDict(extra="forbid")


AnyContract = TypeVar("AnyContract", bound=Contract)


class _Reference(Contract):
    height_above_root_plane_mm: Offset = 0.0
    height_plus_minus_mm: Annotated[float, Field(ge=0, le=200)] = 3.0
    camera_height_mm: Annotated[float, Field(ge=50, le=20_000)] | None = None


class CardCalibration(_Reference):
    kind: Literal["card"]


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
    points: Annotated[list[Point], Field(min_length=5, max_length=400)]
    length_mm: Millimetres
    width_mm: Millimetres
    long_axis: Pair | None = None


AnyCalibration = Annotated[
    CardCalibration | SegmentCalibration | RectangleCalibration | EllipseCalibration,
    Field(discriminator="kind"),
]


class Trunk(Contract):
    outline: Annotated[list[Point], Field(min_length=3, max_length=2000)]
    height_mm: Offset = 0.0


class Flare(Contract):
    outline: Annotated[list[Point], Field(min_length=3, max_length=2000)]


class RootMark(Contract):
    label: Annotated[str, Field(min_length=1, max_length=12)]
    path: Annotated[list[Point], Field(min_length=2, max_length=2000)]
    base_width: Pair | None = None
    end_width: Pair | None = None
    height: Literal["above", "on", "below"] | FiniteFloat | None = None
    feeders: Annotated[int, Field(ge=0, le=3)] | None = None
    condition: Literal["sound", "weak", "dead"] = "sound"
    feeds: list[str] = Field(default=[])


class TopMarks(Contract):
    """Everything marked on one photo taken from above."""

    view: Literal["top"]
    calibration: AnyCalibration
    front: Point | None = None
    click_sd_px: Annotated[float, Field(ge=0, le=50)] = 2.0
    focal_length_35mm: Focal | None = None
    trunk: Trunk | None = None
    trunks: Annotated[list[Trunk], Field(min_length=1, max_length=20)] | None = None
    flare: Flare | None = None
    roots: Annotated[list[RootMark], Field(max_length=60)]
    points: dict[Annotated[str, Field(min_length=1, max_length=40)], Point] = Field(default={})

    def trunk_marks(self) -> list[tuple[str, Trunk]]:
        """Each trunk with its field path; empty in a photo of a set that shows none."""
        if self.trunk is not None:
            return [("trunk", self.trunk)]
        return [(f"trunks.{i}", one) for i, one in enumerate(self.trunks or [])]


SENTENCES = {
    "missing": "is missing",
    "extra_forbidden": "is not a name this file may hold",
    "finite_number": "must be an ordinary number",
    "union_tag_invalid": "has an unknown kind; use card, rectangle, ellipse or segment",
    "union_tag_not_found": "needs a kind: card, rectangle, ellipse or segment",
}


def as_bad_input(error: ValidationError) -> BadInput:
    """The first complaint of a validation as one sentence with the field's path."""
    first = error.errors(include_url=False, include_input=False)[0]
    kinds = {"card", "segment", "rectangle", "ellipse"}
    path = ".".join(str(part) for part in first["loc"] if part not in kinds)
    if first["type"] == "too_short" and path.endswith("path"):
        return BadInput(path, "a root's path needs at least two points")
    if first["type"] == "too_short" and path.endswith("outline"):
        return BadInput(path, "an outline needs at least three points")
    if first["type"] == "too_short" and path.endswith("points"):
        return BadInput(path, "an ellipse needs at least five points on the rim")
    said = SENTENCES.get(first["type"])
    if said is None:
        said = first["msg"][0].lower() + first["msg"][1:]
    return BadInput(path, said)


def read_marks(data: Any, size: tuple[int, int] | None = None, in_set: bool = False) -> TopMarks:
    """Check marks from a file or the root desk.

    Parameters
    ----------
    data : the parsed JSON.
    size : width and height of the photo in px, or None to skip that check.
    in_set : one photo of several, which may leave the trunk to another.

    Raises
    ------
    BadInput : names the first mark that cannot be used and why.
    """
    if in_set and isinstance(data, dict):
        data = {"roots": [], **data}
    marks = read_contract(TopMarks, data)
    if size is not None:
        check_inside(all_points(marks), size)
    check_calibration(marks.calibration)
    _trunks_sound(marks, in_set)
    if marks.flare is not None:
        _outline_sound("flare.outline", marks.flare.outline)
    _roots_sound(marks.roots)
    return marks


def read_contract(contract: type[AnyContract], data: Any) -> AnyContract:
    """Parsed JSON as a file contract. Raises BadInput with the first complaint."""
    if not isinstance(data, dict):
        raise BadInput("marks", "must be one JSON object")
    try:
        return contract.model_validate(data)
    except ValidationError as error:
        raise as_bad_input(error) from None


def all_points(marks: TopMarks) -> Iterator[tuple[str, Point]]:
    """Each marked point with its field path, the front left out."""
    yield from calibration_points(marks.calibration)
    for path, trunk in marks.trunk_marks():
        yield from numbered(f"{path}.outline", trunk.outline)
    if marks.flare is not None:
        yield from numbered("flare.outline", marks.flare.outline)
    for i, root in enumerate(marks.roots):
        yield from numbered(f"roots.{i}.path", root.path)
        yield from numbered(f"roots.{i}.base_width", root.base_width or ())
        yield from numbered(f"roots.{i}.end_width", root.end_width or ())
    yield from ((f"points.{name}", point) for name, point in marks.points.items())


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
    if isinstance(cal, SegmentCalibration) and _close(cal.a, cal.b):
        raise BadInput(
            "calibration", "the two points lie on each other; set them far apart on a known length"
        )
    if isinstance(cal, RectangleCalibration):
        _rectangle_sound(cal)


def _rectangle_sound(cal: RectangleCalibration) -> None:
    corners = cal.corners
    for i in range(4):
        for j in range(i):
            if _close(corners[i], corners[j]):
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


def _close(a: Point, b: Point) -> bool:
    return abs(a[0] - b[0]) < 2 and abs(a[1] - b[1]) < 2


def _trunks_sound(marks: TopMarks, in_set: bool) -> None:
    if marks.trunk is not None and marks.trunks is not None:
        raise BadInput("trunks", "give either trunk or trunks, not both")
    trunks = marks.trunk_marks()
    if not trunks and not in_set:
        raise BadInput("trunk", "is missing")
    for path, trunk in trunks:
        _outline_sound(f"{path}.outline", trunk.outline)


def _outline_sound(path: str, outline: list[Point]) -> None:
    polygon = Polygon(outline)
    if polygon.is_valid and polygon.area > 1:
        return
    if polygon.convex_hull.area <= 1:
        raise BadInput(path, "the outline encloses nothing")
    if _only_kinked(polygon):
        return
    said = explain_validity(polygon)
    at = said[said.find("[") + 1 : said.find("]")].split() if "[" in said else []
    where = f" near ({float(at[0]):.0f}, {float(at[1]):.0f})" if len(at) >= 2 else ""
    raise BadInput(path, f"the outline crosses itself{where}; drag its points apart")


def _only_kinked(polygon: Polygon) -> bool:
    """Close clicks may cross in a tiny loop, which changes no figure."""
    parts = getattr(make_valid(polygon), "geoms", [make_valid(polygon)])
    largest = max(part.area for part in parts)
    return bool(abs(polygon.area - largest) <= TINY_LOOP * largest)


def _roots_sound(roots: list[RootMark]) -> None:
    seen: set[str] = set()
    for i, root in enumerate(roots):
        if root.label in seen:
            raise BadInput(f"roots.{i}.label", f"two roots are called {root.label}")
        seen.add(root.label)
        if all(_close(root.path[0], point) for point in root.path[1:]):
            raise BadInput(f"roots.{i}.path", f"all points of root {root.label} lie on each other")
        for name in ("base_width", "end_width"):
            pair = getattr(root, name)
            if pair is not None and pair[0] == pair[1]:
                raise BadInput(
                    f"roots.{i}.{name}", f"the two width points of root {root.label} are the same"
                )
        _widths_sound(f"roots.{i}", root)


def _widths_sound(path: str, root: RootMark) -> None:
    """Widths lie across the root, the base's nearer to the trunk than the end's."""
    line = LineString(root.path)
    if root.base_width is not None and _lies_along(line, LineString(root.base_width)):
        raise BadInput(
            f"{path}.base_width",
            f"the two width points of root {root.label} lie along it; set them across it, one on "
            "each edge",
        )
    if root.base_width is None or line.length == 0:
        return
    base = line.project(LineString(root.base_width).centroid, normalized=True)
    end = 0.0
    if root.end_width is not None:
        end = line.project(LineString(root.end_width).centroid, normalized=True)
    if base > MOST_BASE_SHARE and (root.end_width is None or end < 1 - MOST_BASE_SHARE):
        raise BadInput(
            f"{path}.base_width",
            f"the base width of root {root.label} lies at its end: draw its path from the trunk "
            "outward, or exchange the two widths",
        )


def _lies_along(line: LineString, across: LineString) -> bool:
    """Whether a width runs the way its root runs, within 18 degrees.

    It must do so both at the place of the root nearest to it and at the root's start, so
    that a root that comes back upon itself is not misjudged.
    """
    if not LEAST_JUDGED_PX < across.length < line.length:
        return False  # so short a width turns with the hand that set it
    (px, py), (qx, qy) = across.coords
    width = (qx - px, qy - py)
    reach = max(across.length / 2, 1.0)
    for middle in (line.project(across.centroid), 0.0):
        a, b = (line.interpolate(max(0.0, middle + side * reach)) for side in (-1, 1))
        run = (b.x - a.x, b.y - a.y)
        turned = abs(run[0] * width[1] - run[1] * width[0])
        if turned >= LEAST_ACROSS_SINE * hypot(*run) * hypot(*width):
            return False
    return True
