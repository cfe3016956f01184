"""The marks an artist sets on a photo from above: the stable file contract.

Points are pixels of the photo after its EXIF orientation is applied, x right,
y down, whole numbers at pixel centres.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import hypot, pi, sqrt
from typing import Annotated, Any, Literal

from pydantic import Field, FiniteFloat
from shapely.geometry import LineString, Polygon
from shapely.geometry import Point as Place
from shapely.validation import explain_validity, make_valid

from mirvo.core.errors import BadInput
from mirvo.core.measure.contract import (
    STRICT,
    AnyCalibration,
    Contract,
    Deviation,
    Focal,
    Offset,
    Outline,
    Pair,
    calibration_points,
    check_calibration,
    check_inside,
    close,
    numbered,
    read_contract,
)
from mirvo.core.measure.drafts import FlareDraft, Point, RootDraft, TrunkDraft

# A loop of two clicks too near to each other is a slip of the hand, not an outline.
TINY_LOOP = 0.05
# A base width as long as the root is a mark drawn along it.
MAX_BASE_SHARE = 0.8
MIN_JUDGED_PX = 16.0
MIN_ACROSS_SINE = 0.31
MAX_WIDTH_TO_TRUNKS = 3.0
FAR_FROM_TRUNK, AT_TRUNK = 0.5, 0.25


class Trunk(TrunkDraft):
    """outline_sd_px : how far the whole outline may lie off, where it was not clicked round."""

    model_config = STRICT
    outline: Outline
    height_mm: Offset = 0.0
    outline_sd_px: Deviation = 0.0


class Flare(FlareDraft):
    model_config = STRICT
    outline: Outline


class RootMark(RootDraft):
    """points_sd_px : how far each point strays, where the root was found in the picture and so
    strays further than a click. base_sd_px : how far both points across its base may lie off
    together; not said, 1.3 times as far as each. tip_sd_px : how far its end may lie off along
    its way, where that was found too. base_width_sd_px : how far the base width may be off beyond
    its clicks, where it alone was found."""

    model_config = STRICT
    label: Annotated[str, Field(min_length=1, max_length=12)]
    path: Annotated[tuple[Point, ...], Field(min_length=2, max_length=2000)]
    base_width: Pair | None = None
    end_width: Pair | None = None
    points_sd_px: Deviation = 0.0
    base_sd_px: Deviation | None = None
    tip_sd_px: Deviation = 0.0
    base_width_sd_px: Deviation = 0.0
    height: Literal["above", "on", "below"] | FiniteFloat | None = None
    feeders: Annotated[int, Field(ge=0, le=3)] | None = None
    condition: Literal["sound", "weak", "dead"] = "sound"
    feeds: tuple[str, ...] = ()


class TopMarks(Contract):
    """Everything marked on one photo taken from above.

    flare_on_plane_only : roots off the root plane are left out of radiality.
    """

    view: Literal["top"]
    calibration: AnyCalibration
    front: Point | None = None
    click_sd_px: Annotated[float, Field(ge=0, le=50)] = 2.0
    focal_length_35mm: Focal | None = None
    trunk: Trunk | None = None
    trunks: Annotated[tuple[Trunk, ...], Field(min_length=1, max_length=20)] | None = None
    flare: Flare | None = None
    roots: Annotated[tuple[RootMark, ...], Field(max_length=60)]
    points: dict[Annotated[str, Field(min_length=1, max_length=40)], Point] = Field(default={})
    flare_on_plane_only: bool = False

    def trunk_marks(self) -> list[tuple[str, Trunk]]:
        # One trunk is written as one, so that old files of single trunks stay valid.
        """Each trunk with its field path; empty in a photo of a set that shows none."""
        if self.trunk is not None:
            return [("trunk", self.trunk)]
        return [(f"trunks.{i}", trunk) for i, trunk in enumerate(self.trunks or [])]


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
    # A photo of a set may show only a part of the base.
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
    _roots_fit_trunk(marks)
    return marks


def all_points(marks: TopMarks) -> Iterator[tuple[str, Point]]:
    """Each marked point with its field path, the front left out."""
    yield from calibration_points(marks.calibration)
    for path, trunk in marks.trunk_marks():
        yield from numbered(f"{path}.outline", trunk.outline)
    if marks.flare is not None:
        yield from numbered("flare.outline", marks.flare.outline)
    for i, root in enumerate(marks.roots):
        yield from numbered(f"roots.{i}.path", root.path)
        # A width that is not marked has no points to check.
        yield from numbered(f"roots.{i}.base_width", root.base_width or ())
        yield from numbered(f"roots.{i}.end_width", root.end_width or ())
    yield from ((f"points.{name}", point) for name, point in marks.points.items())


def _trunks_sound(marks: TopMarks, in_set: bool) -> None:
    if marks.trunk is not None and marks.trunks is not None:
        raise BadInput("trunks", "give either trunk or trunks, not both")
    trunks = marks.trunk_marks()
    if not trunks and not in_set:
        raise BadInput("trunk", "is missing")
    for path, trunk in trunks:
        _outline_sound(f"{path}.outline", trunk.outline)


def _outline_sound(path: str, outline: tuple[Point, ...]) -> None:
    # More than a pixel: two clicks on each other make a polygon of nothing.
    polygon = Polygon(outline)
    if polygon.is_valid and polygon.area > 1:
        return
    if polygon.convex_hull.area <= 1:
        raise BadInput(path, "the outline encloses nothing")
    if _only_kinked(polygon):
        return
    reason = explain_validity(polygon)
    at = reason[reason.find("[") + 1 : reason.find("]")].split() if "[" in reason else []
    where = f" near ({float(at[0]):.0f}, {float(at[1]):.0f})" if len(at) >= 2 else ""
    raise BadInput(path, f"the outline crosses itself{where}; drag its points apart")


def _only_kinked(polygon: Polygon) -> bool:
    """Close clicks may cross in a tiny loop, which changes no figure."""
    parts = getattr(make_valid(polygon), "geoms", [make_valid(polygon)])
    largest = max(part.area for part in parts)
    return bool(abs(polygon.area - largest) <= TINY_LOOP * largest)


def _roots_sound(roots: tuple[RootMark, ...]) -> None:
    seen: set[str] = set()
    for i, root in enumerate(roots):
        if root.label in seen:
            raise BadInput(f"roots.{i}.label", f"two roots are called {root.label}")
        seen.add(root.label)
        # A path of one place has no direction.
        if all(close(root.path[0], point) for point in root.path[1:]):
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
    if base > MAX_BASE_SHARE and (root.end_width is None or end < 1 - MAX_BASE_SHARE):
        raise BadInput(
            f"{path}.base_width",
            f"the base width of root {root.label} lies at its end: draw its path from the trunk "
            "outward, or exchange the two widths",
        )


def _roots_fit_trunk(marks: TopMarks) -> None:
    """Roots run away from the trunk seen in the same photo, and are not vastly wider than it."""
    trunks = [Polygon(trunk.outline) for _, trunk in marks.trunk_marks()]
    if not trunks:
        return
    across = 2 * sqrt(sum(trunk.area for trunk in trunks) / pi)
    for i, root in enumerate(marks.roots):
        start, end = (
            min(trunk.distance(Place(point)) for trunk in trunks)
            for point in (root.path[0], root.path[-1])
        )
        if start > FAR_FROM_TRUNK * across and end < AT_TRUNK * across:
            raise BadInput(
                f"roots.{i}.path",
                f"the path of root {root.label} runs toward the trunk; draw it from the trunk's "
                "edge outward",
            )
        if root.base_width is None:
            continue
        times = hypot(*(a - b for a, b in zip(*root.base_width, strict=True))) / across
        if times > MAX_WIDTH_TO_TRUNKS:
            raise BadInput(
                f"roots.{i}.base_width",
                f"the base width of root {root.label} is {times:.0f} times the trunk; set a point "
                "on each edge of the root",
            )


def _lies_along(line: LineString, across: LineString) -> bool:
    """Whether a width runs the way its root runs, within 18 degrees.

    It must do so both at the place of the root nearest to it and at the root's start, so
    that a root that comes back upon itself is not misjudged.
    """
    if not MIN_JUDGED_PX < across.length < line.length:
        return False  # so short a width turns with the hand that set it
    if line.distance(across.centroid) > across.length / 2:
        return False  # the path begins only where the root comes into sight
    (px, py), (qx, qy) = across.coords
    width = (qx - px, qy - py)
    reach = max(across.length / 2, 1.0)
    for middle in (line.project(across.centroid), 0.0):
        a, b = (line.interpolate(max(0.0, middle + side * reach)) for side in (-1, 1))
        run = (b.x - a.x, b.y - a.y)
        turned = abs(run[0] * width[1] - run[1] * width[0])
        if turned >= MIN_ACROSS_SINE * hypot(*run) * hypot(*width):
            return False
    return True
