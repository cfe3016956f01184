"""The base from above as a plan expects it at the end of a year, to scale."""

from __future__ import annotations

from math import cos, hypot, radians, sin

from mirvo.core.measure.records import RootRecord, TopRecord
from mirvo.core.plan.records import YearForecast
from mirvo.core.rootwork.root_path import shortened
from mirvo.studio.path.compare import Comparison, DecidedPath
from mirvo.web.drawings.scene import Point, Scene
from mirvo.web.drawings.wheel import arc, tapered

SIZE_PX, EDGE_PX, BAR_PX = 400.0, 22.0, 26.0
# A new root is drawn as thick as this part of the trunk.
NEW_ROOT_OF_TRUNK = 0.06


def draw_bases(comparison: Comparison) -> tuple[Scene, Scene]:
    """The base that each set of decisions leads to, both to one scale."""
    measured = comparison.base.record
    first, second = comparison.sides
    reach = max(_reach_mm(measured, side) for side in comparison.sides)
    scale = (SIZE_PX / 2 - EDGE_PX) / reach
    return _draw(measured, first, scale, "A"), _draw(measured, second, scale, "B")


def _reach_mm(measured: TopRecord, side: DecidedPath) -> float:
    """Radius that holds everything drawn of one side, mm."""
    end, target = side.forecast, side.case.target.spread_ratio
    if end is None:
        return measured.frame_mm
    rings = max(end.spread_mm, target * end.trunk_diameter_mm) / 2 * 1.08
    return max(measured.frame_mm + _thicker_mm(measured, end), rings)


def _thicker_mm(measured: TopRecord, end: YearForecast) -> float:
    """How far the trunk's edge moves out."""
    return max(0.0, end.trunk_diameter_mm - measured.trunk_diameter_mm.value) / 2


def _draw(measured: TopRecord, side: DecidedPath, scale: float, name: str) -> Scene:
    end = side.forecast
    title = f"{name}: the base at the end of {side.year}, front at 6 o'clock"
    scene = Scene(f"base-{name.lower()}", SIZE_PX, SIZE_PX + BAR_PX, title, _words(measured, side))
    centre = (SIZE_PX / 2, SIZE_PX / 2)
    trunk = measured.trunk_diameter_mm.value
    grown = 1.0 if end is None else end.trunk_diameter_mm / trunk
    out = 0.0 if end is None else _thicker_mm(measured, end)
    rim = SIZE_PX / 2 - EDGE_PX
    scene.circle(centre, rim, "ring")
    if not side.layered:
        for root in measured.roots:
            _root(scene, root, side.cut.get(root.label, 0.0), out, scale)
    if end is not None:
        for azimuth, made in side.grafts_deg:
            counts = side.year >= made + side.counts_after
            _new_root(scene, azimuth, end, scale, "root" if counts else "older")
        scene.circle(centre, end.spread_mm / 2 * scale, "flare-edge")
        target = side.case.target.spread_ratio * end.trunk_diameter_mm / 2 * scale
        if target < rim:
            scene.circle(centre, target, "target-ring")
    for one in measured.trunks:
        outline = [(x * grown, y * grown) for x, y in one.outline_mm]
        scene.path([_place(point, scale) for point in outline], "trunk", closed=True)
    scene.curve(arc(centre, rim, 177.0, 183.0), "rim-open")
    scene.write((centre[0], SIZE_PX - 4), "6", "hour", "middle")
    scene.scale_bar((8, SIZE_PX + BAR_PX - 8), scale)
    return scene


def _words(measured: TopRecord, side: DecidedPath) -> str:
    gone = [label for label, part in side.cut.items() if part >= 1.0]
    left = [label for label in measured.labels if label not in gone]
    return f"Roots {', '.join(left) or 'none'} stand; gone: {', '.join(gone) or 'none'}."


def _root(scene: Scene, root: RootRecord, gone: float, out_mm: float, scale: float) -> None:
    """One root, moved out with the trunk's edge; what has gone of it dashed."""
    whole = root.model_copy(update={"path_mm": _moved_out(root.path_mm, out_mm)})
    outline = [_place(point, scale) for point in tapered(whole)]
    if gone > 0:
        scene.path(outline, "older", closed=True)
    if gone < 1:
        left = whole.model_copy(update={"path_mm": shortened(whole.path_mm, gone)})
        role = "root-dead" if root.condition == "dead" else "root"
        scene.path([_place(point, scale) for point in tapered(left)], role, closed=True)
    x, y = max(whole.path_mm, key=lambda point: hypot(*point))
    out = 1 + 11 / (hypot(x, y) * scale or 1.0)
    at = _place((x * out, y * out), scale)
    scene.write(
        (at[0], at[1] + 5), root.label, "root-label-cut" if gone else "root-label", "middle"
    )


def _moved_out(path: tuple[Point, ...], by_mm: float) -> tuple[Point, ...]:
    x, y = path[0]
    start = hypot(x, y) or 1.0
    return tuple((px + x / start * by_mm, py + y / start * by_mm) for px, py in path)


def _new_root(scene: Scene, azimuth: float, end: YearForecast, scale: float, role: str) -> None:
    """A graft or fork as a straight root from the trunk to the edge of the flare."""
    from_centre = [end.trunk_diameter_mm / 2, end.spread_mm / 2]
    half = NEW_ROOT_OF_TRUNK * end.trunk_diameter_mm / 2
    corners = [
        (-half, from_centre[0]), (-half / 2, from_centre[1]),
        (half / 2, from_centre[1]), (half, from_centre[0]),
    ]  # fmt: skip
    scene.path([_place(_turned(point, azimuth), scale) for point in corners], role, closed=True)


def _turned(point: Point, azimuth_deg: float) -> Point:
    turn = radians(azimuth_deg)
    x, y = point
    return (x * cos(turn) + y * sin(turn), y * cos(turn) - x * sin(turn))


def _place(point: Point, scale: float) -> Point:
    """Plan frame (mm, y away from the viewer) to paper (px, y down)."""
    return (SIZE_PX / 2 + point[0] * scale, SIZE_PX / 2 - point[1] * scale)
