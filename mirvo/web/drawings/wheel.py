"""The root wheel: the base from above, front at 6 o'clock, to scale."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from math import atan2, cos, degrees, dist, hypot, pi, radians, sin

import numpy as np

from mirvo.core.angles import clockwise_from
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import RootRecord, TopRecord
from mirvo.core.measure.top import ROOTS_COUNT_TO_TRUNKS
from mirvo.core.rootwork.root_path import path_length_mm, point_at_mm
from mirvo.web.drawings.scene import Point, Scene

HOUR_DEG = 30.0
# An end nobody measured is drawn at a third of the base, as roots commonly taper.
DRAWN_END_SHARE = 0.35
UNMARKED_WIDTH_MM = 4.0
RIM_ROOM_PX = 26.0
# How far out a gap's degrees may stand, of the rim; the first that clears roots and letters.
GAP_WORDS_OUT, GAP_WORDS_PX = (0.74, 0.6, 0.86, 0.48), 24.0
WHISKER_IN_PX = 7.0
# So far from the trunk a mark of a flush cut is still seen beside the bark.
FLUSH_MM = 3.0
OLD_SOIL_SHARE = (0.5, 0.92)


@dataclass(frozen=True)
class WheelView:
    """Where the wheel sits and what is marked on it.

    cut : part of the length that goes, by root. old_soil_hours : where old soil stayed.
    """

    centre: Point
    scale: float
    rim_px: float
    cut: Mapping[str, float] = field(default_factory=dict)
    target_ratio: float | None = None
    old_soil_hours: tuple[int, ...] = ()


def draw_wheel(measured: TopRecord, size_px: float) -> Scene:
    """A wheel on its own, filling a square."""
    reach = measured.frame_mm
    scale = (size_px / 2 - RIM_ROOM_PX) / reach
    scene = Scene("wheel", size_px, size_px, "Root wheel, front at 6 o'clock", describe(measured))
    view = WheelView((size_px / 2, size_px / 2), scale, reach * scale)
    add_wheel(scene, measured, view)
    return scene


def draw_cuts(
    before: TopRecord,
    after: TopRecord,
    cut: Mapping[str, float],
    size_px: float,
    old_soil_hours: tuple[int, ...] = (),
) -> Scene:
    """The base as it will stand: cut roots hatched from the cut on, the rim as after the cuts."""
    reach = before.frame_mm
    scale = (size_px / 2 - RIM_ROOM_PX) / reach
    title = "Root wheel after the cuts, front at 6 o'clock"
    scene = Scene("cuts", size_px, size_px, title, describe(after))
    view = WheelView(
        (size_px / 2, size_px / 2), scale, reach * scale, cut, old_soil_hours=old_soil_hours
    )
    add_wheel(scene, before, view, after)
    for root in before.roots:
        part = cut.get(root.label, 0.0)
        if 0.0 < part < 1.0:
            way = [_place(point, view) for point in root.path_mm]
            scene.handle(_place(_cut_at(root, part), view), way, root.label, 1.0 - part)
    return scene


def draw_two_dates(
    before: TopRecord, after: TopRecord, turn_deg: float, size_px: float, title: str
) -> Scene:
    """Two measurements over each other in one frame: the older dashed upon the newer."""
    newer = turned(after, turn_deg)
    reach = max(before.frame_mm, after.frame_mm)
    scale = (size_px / 2 - RIM_ROOM_PX) / reach
    scene = Scene("two-dates", size_px, size_px, title, describe(after))
    view = WheelView((size_px / 2, size_px / 2), scale, reach * scale)
    add_wheel(scene, newer, view)
    for root in before.roots:
        scene.path([_place(point, view) for point in tapered(root)], "older", closed=True)
    for outline in [before.flare_outline_mm, *(trunk.outline_mm for trunk in before.trunks)]:
        if outline:
            scene.path([_place(point, view) for point in outline], "older", closed=True)
    return scene


def turned(measured: TopRecord, turn_deg: float) -> TopRecord:
    """A base with azimuths, open arcs and plan turned clockwise."""
    # Azimuths turn clockwise, so the turn has the other sign than in a textbook.
    cosine, sine = cos(radians(turn_deg)), sin(radians(turn_deg))

    def points(path: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((x * cosine + y * sine, y * cosine - x * sine) for x, y in path)

    def azimuth(figure: Figure) -> Figure:
        return Figure((figure.value + turn_deg) % 360.0, figure.plus_minus)

    roots = tuple(
        root.model_copy(
            update={"azimuth_deg": azimuth(root.azimuth_deg), "path_mm": points(root.path_mm)}
        )
        for root in measured.roots
    )
    trunks = tuple(
        trunk.model_copy(update={"outline_mm": points(trunk.outline_mm)})
        for trunk in measured.trunks
    )
    arcs = tuple(
        ((start + turn_deg) % 360.0, (end + turn_deg) % 360.0)
        for start, end in measured.radiality.open_arcs
    )
    flare = measured.flare_outline_mm
    return measured.model_copy(
        update={
            "roots": roots,
            "trunks": trunks,
            "flare_outline_mm": None if flare is None else points(flare),
            "radiality": measured.radiality.model_copy(update={"open_arcs": arcs}),
        }
    )


def describe(measured: TopRecord) -> str:
    """The wheel in words."""
    roots = ", ".join(f"{root.label} at {root.clock:.1f} o'clock" for root in measured.roots)
    gap = measured.radiality.largest_gap_deg.value
    return f"{len(measured.roots)} roots: {roots or 'none'}. Largest gap {gap:.0f} degrees."


def add_wheel(
    scene: Scene, measured: TopRecord, view: WheelView, after: TopRecord | None = None
) -> None:
    """Put the wheel into a drawing; `after` the cuts gives the rim and the whiskers."""
    left = after or measured
    _rings(scene, measured.trunk_diameter_mm.value, view, _clear_direction(left))
    _rim(scene, left, view, measured.roots)
    for hour in view.old_soil_hours:
        _old_soil(scene, hour, view)
    for root in measured.roots:
        _root(scene, root, view)
    if measured.flare_outline_mm:
        flare = [_place(point, view) for point in measured.flare_outline_mm]
        scene.path(flare, "flare-edge", closed=True)
    for trunk in measured.trunks:
        scene.path([_place(point, view) for point in trunk.outline_mm], "trunk", closed=True)
    for root in measured.roots:
        stays = left.root(root.label)
        if stays is None:
            continue  # it goes, so it has no figures after the cuts
        _azimuth_whisker(scene, stays.azimuth_deg, view)
        if root.label not in view.cut:
            _reach_whisker(scene, stays, view)
    for root in measured.roots:
        _label(scene, root, view)


def _azimuth_whisker(scene: Scene, azimuth: Figure, view: WheelView) -> None:
    """The ± of a root's azimuth, on the rim."""
    # An arc of the whole round would begin and end in one point and vanish.
    off = min(azimuth.plus_minus, 179.0)
    radius = view.rim_px - WHISKER_IN_PX
    ends = azimuth.value - off, azimuth.value + off
    if off > 0:
        scene.curve(arc(view.centre, radius, *ends), "plus-minus-mark")
    for end in ends:
        inner, outer = (_polar(end, radius + side * 3, view.centre) for side in (-1, 1))
        scene.line(inner, outer, "plus-minus-mark")


def _reach_whisker(scene: Scene, root: RootRecord, view: WheelView) -> None:
    """The ± of a root's reach, along the way to its farthest point."""
    reach = root.reach_mm
    x, y = max(root.path_mm, key=lambda point: hypot(*point))
    towards = degrees(atan2(x, y))
    ends = [
        _polar(towards, max(0.0, reach.value + side * reach.plus_minus) * view.scale, view.centre)
        for side in (-1, 1)
    ]
    scene.line(ends[0], ends[1], "plus-minus-mark")
    for end in ends:
        across = [_polar(towards + side * 90.0, 3.0, end) for side in (-1, 1)]
        scene.line(across[0], across[1], "plus-minus-mark")


def _clear_direction(measured: TopRecord) -> float:
    """A direction for the rings' words, away from roots and from the words of gaps."""
    taken = [root.azimuth_deg.value for root in measured.roots]
    for start, end in measured.radiality.open_arcs:
        taken.append(start + (clockwise_from(start, end) or 360.0) / 2)
    # Every ten degrees is near enough for words.
    spokes = np.arange(10.0, 360.0, 10.0)
    if not taken:
        return float(spokes[0])
    apart = np.abs((spokes[:, None] - np.array(taken) + 180.0) % 360.0 - 180.0)
    return float(spokes[apart.min(axis=1).argmax()])


def _rings(scene: Scene, trunk_mm: float, view: WheelView, words_deg: float) -> None:
    # Rings at whole trunk diameters: the spread ratio can be read off them.
    for times in (1, 2, 3, 4, 5):
        radius = times * trunk_mm / 2 * view.scale
        if radius >= view.rim_px:
            break
        # Beyond two trunks from the middle nothing counts for the spread of the roots.
        last = times == 2 * ROOTS_COUNT_TO_TRUNKS
        scene.circle(view.centre, radius, "counted-ring" if last else "ring")
        if times > 1:
            x, y = _polar(words_deg, radius, view.centre)
            scene.write((x, y + 4), f"{times}×", "ring-words", "middle")
    if view.target_ratio is not None:
        radius = view.target_ratio * trunk_mm / 2 * view.scale
        if radius < view.rim_px:
            scene.circle(view.centre, radius, "target-ring")


def _rim(scene: Scene, measured: TopRecord, view: WheelView, drawn: Sequence[RootRecord]) -> None:
    arcs = measured.radiality.open_arcs
    for start, end in _covered(arcs, bool(measured.roots)):
        scene.curve(arc(view.centre, view.rim_px, start, end), "rim-covered")
    for start, end in arcs:
        _open_arc(scene, start, end, view, drawn)
    for hour in range(1, 13):
        azimuth = hour * HOUR_DEG
        inner, outer = (_polar(azimuth, view.rim_px + d, view.centre) for d in (2, 7))
        scene.line(inner, outer, "tick")
        if hour % 3 == 0:
            x, y = _polar(azimuth, view.rim_px + 16, view.centre)
            scene.write((x, y + 5), str(hour), "hour", "middle")


def _old_soil(scene: Scene, hour: int, view: WheelView) -> None:
    """The sector of one clock hour in which old soil stayed."""
    start, end = hour * HOUR_DEG - HOUR_DEG / 2, hour * HOUR_DEG + HOUR_DEG / 2
    inner, outer = (view.rim_px * share for share in OLD_SOIL_SHARE)
    far = arc(view.centre, outer, start, end)
    near = _polar(end, inner, view.centre)
    back = _polar(start, inner, view.centre)
    scene.curve(
        f"{far} L{near[0]:.1f} {near[1]:.1f} "
        f"A{inner:.1f} {inner:.1f} 0 0 0 {back[0]:.1f} {back[1]:.1f} Z",
        "old-soil",
    )


def _covered(arcs: tuple[tuple[float, float], ...], any_root: bool) -> list[tuple[float, float]]:
    if not any_root:
        return []
    if not arcs:
        return [(0.0, 359.9)]
    ordered = sorted(arcs, key=lambda arc: arc[0])
    return [
        (before[1], after[0])
        for before, after in zip(ordered, ordered[1:] + ordered[:1], strict=True)
    ]


def _open_arc(
    scene: Scene, start: float, end: float, view: WheelView, roots: Sequence[RootRecord]
) -> None:
    sweep = clockwise_from(start, end) or 360.0
    scene.curve(arc(view.centre, view.rim_px, start, end), "rim-open")
    # A base without roots is open all round; a wedge of it would be a disc.
    if sweep >= 359:
        return
    x, y = view.centre
    edge = arc(view.centre, view.rim_px - 4, start, end)
    scene.curve(f"{edge} L{x:.1f} {y:.1f} Z", "gap-fill")
    # The open arc begins an hour from each root; the gap is counted from root to root.
    gap = sweep + 2 * HOUR_DEG
    taken = [_label_at(root, view) for root in roots]
    taken += [_place(point, view) for root in roots for point in root.path_mm]
    places = [_polar(start + sweep / 2, view.rim_px * out, view.centre) for out in GAP_WORDS_OUT]
    free = (at for at in places if all(dist(at, other) > GAP_WORDS_PX for other in taken))
    at = next(free, places[0])
    scene.write((at[0], at[1] + 6), f"{gap:.0f}°", "gap-words", "middle")


def _root(scene: Scene, root: RootRecord, view: WheelView) -> None:
    role = "root-dead" if root.condition == "dead" else "root"
    outline = tapered(root)
    part = view.cut.get(root.label, 0.0)
    if part <= 0.0:
        scene.path([_place(point, view) for point in outline], role, closed=True)
        return
    scene.path([_place(point, view) for point in outline], "root-cut", closed=True)
    if part < 1.0:
        kept = _shortened(root, part)
        scene.path([_place(point, view) for point in tapered(kept)], role, closed=True)
    _cut_mark(scene, root, part, view)


def _shortened(root: RootRecord, part: float) -> RootRecord:
    """The piece of a root that stays, tapering as the whole root does."""
    path, at = root.path_mm, _cut_at(root, part)
    length = path_length_mm(path)
    kept, run = [path[0]], 0.0
    for a, b in pairwise(path):
        run += hypot(b[0] - a[0], b[1] - a[1])
        if run >= length * (1.0 - part):
            break
        kept.append(b)
    base, end = _drawn_widths(root)
    # A cut root ends as thick as it is there, not at the tip's width.
    tip = base + (end - base) * (1.0 - part)
    return root.model_copy(update={"path_mm": (*kept, at), "end_width_mm": tip})


def _cut_at(root: RootRecord, part: float) -> Point:
    return point_at_mm(root.path_mm, path_length_mm(root.path_mm) * (1.0 - part))


def _drawn_widths(root: RootRecord) -> tuple[float, float]:
    """Widths at base and end, mm; an unmarked end is drawn tapering."""
    base = root.width_mm or UNMARKED_WIDTH_MM
    return base, root.end_width_mm or base * DRAWN_END_SHARE


def tapered(root: RootRecord) -> list[Point]:
    """Outline of a root along its true path."""
    path = root.path_mm
    base, end = _drawn_widths(root)
    lengths = [0.0]
    for a, b in pairwise(path):
        lengths.append(lengths[-1] + hypot(b[0] - a[0], b[1] - a[1]))
    left, right = [], []
    for index, (x, y) in enumerate(path):
        # Across the mean of both neighbours, so that bends keep their width.
        a, b = path[max(0, index - 1)], path[min(len(path) - 1, index + 1)]
        run = hypot(b[0] - a[0], b[1] - a[1]) or 1.0
        half = (base + (end - base) * lengths[index] / (lengths[-1] or 1.0)) / 2
        across = (-(b[1] - a[1]) / run * half, (b[0] - a[0]) / run * half)
        left.append((x + across[0], y + across[1]))
        right.append((x - across[0], y - across[1]))
    return left + right[::-1]


def _cut_mark(scene: Scene, root: RootRecord, part: float, view: WheelView) -> None:
    """A stroke across the root where it is cut; flush at the trunk when it goes altogether."""
    path = root.path_mm
    length = path_length_mm(path)
    at = max(FLUSH_MM, length * (1.0 - part))
    (ax, ay), (bx, by) = point_at_mm(path, at - FLUSH_MM), point_at_mm(path, at)
    run = hypot(bx - ax, by - ay) or 1.0
    half = (root.width_mm or UNMARKED_WIDTH_MM) * 0.8
    across = (-(by - ay) / run * half, (bx - ax) / run * half)
    ends = [(bx + across[0], by + across[1]), (bx - across[0], by - across[1])]
    scene.line(_place(ends[0], view), _place(ends[1], view), "cut-mark")


def _label_at(root: RootRecord, view: WheelView) -> Point:
    """Outside the farthest point, where no other root runs over the letter."""
    x, y = max(root.path_mm, key=lambda point: hypot(*point))
    reach = hypot(x, y) or 1.0
    out = 1 + 10 / (reach * view.scale)
    return _place((x * out, y * out), view)


def _label(scene: Scene, root: RootRecord, view: WheelView) -> None:
    at = _label_at(root, view)
    role = "root-label-cut" if root.label in view.cut else "root-label"
    scene.write((at[0], at[1] + 5), root.label, role, "middle")


def _place(point: Point, view: WheelView) -> Point:
    """Plan frame (mm, y away from the viewer) to paper (px, y down)."""
    return (
        view.centre[0] + point[0] * view.scale,
        view.centre[1] - point[1] * view.scale,
    )


def _polar(azimuth_deg: float, radius: float, centre: Point) -> Point:
    turn = radians(azimuth_deg)
    return (centre[0] + radius * sin(turn), centre[1] - radius * cos(turn))


def arc(centre: Point, radius: float, start_deg: float, end_deg: float) -> str:
    """SVG path of a clockwise arc between two azimuths."""
    # A full circle is drawn not quite closed; SVG drops an arc that ends where it starts.
    sweep = (end_deg - start_deg) % 360.0 or 359.9
    a, b = _polar(start_deg, radius, centre), _polar(start_deg + sweep, radius, centre)
    large = 1 if radians(sweep) > pi else 0
    return f"M{a[0]:.1f} {a[1]:.1f} A{radius:.1f} {radius:.1f} 0 {large} 1 {b[0]:.1f} {b[1]:.1f}"
