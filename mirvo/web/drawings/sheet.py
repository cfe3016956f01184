"""The tree sheet: plan over section, one scale, one axis."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.records import PlannedPath
from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Scene, nice_scale
from mirvo.web.drawings.wheel import WheelView, add_wheel, describe

WIDTH_PX = 790.0
WHEEL_RADIUS_PX = 210.0
LABEL_ROOM_PX = 130.0
LEFT_ROOM_PX = 64.0
STEM_PX = 44.0
# The stylesheet's inch has 96 px, so the scale on the strip is that of the printed page.
CSS_PX_PER_MM = 96 / 25.4
# Before anything is measured or entered, something must be drawn.
DEFAULT_TRUNK_MM = 40.0
CLEAR_MM = 4.0


@dataclass(frozen=True)
class Stratum:
    """One level below the soil line: done (solid) or planned (dashed)."""

    year: int
    depth_mm: float
    note: str
    planned: bool


@dataclass(frozen=True)
class Ground:
    """The ground half of a tree in mm below the soil line; a pot may be broken off at its ends."""

    trunk_mm: float
    spread_mm: float
    pot_length_mm: float
    pot_depth_mm: float
    woody_mm: float | None
    ball_mm: float | None
    strata: list[Stratum]
    broken: bool = False


def ground_of(sheet: Sheet, path: PlannedPath | None) -> Ground:
    """What the section draws."""
    measured = None if sheet.base is None else sheet.base.record
    trunk = measured.trunk_diameter_mm.value if measured else None
    trunk = trunk or sheet.tree.trunk_mm or DEFAULT_TRUNK_MM
    # Without a measurement a slight flare is drawn, as nearly every tree has.
    spread = measured.spread.usual.mean_mm.value if measured else trunk * 1.2
    last = sheet.sessions[0] if sheet.sessions else None
    woody = next((s.woody_depth_mm for s in sheet.sessions if s.woody_depth_mm), None)
    strata = _strata(sheet, path)
    # The pot must reach below every level drawn in it.
    deepest = max([60.0, *(level.depth_mm for level in strata)])
    return Ground(
        trunk,
        spread,
        (last.pot_length_mm if last else None) or trunk * 5,
        (last.pot_depth_mm if last else None) or deepest + 15,
        woody,
        last.ball_depth_after if last else None,
        strata,
    )


def _strata(sheet: Sheet, path: PlannedPath | None) -> list[Stratum]:
    done = [
        Stratum(session.done_on.year, depth, f"{depth:.0f} mm", False)
        for session in sheet.sessions
        if (depth := session.ball_depth_after)
    ]
    planned = [
        Stratum(
            step.year,
            step.ball_after_mm,
            "show pot" if step.container == FINAL else f"{step.ball_after_mm:.0f} mm",
            True,
        )
        for step in (path.steps if path else ())
    ]
    return done + planned


def draw_sheet(sheet: Sheet) -> Scene:
    """Plan and section of one tree."""
    measured = None if sheet.base is None else sheet.base.record
    ground = ground_of(sheet, sheet.path)
    reach = measured.frame_mm if measured else 0.0
    room = WIDTH_PX - LABEL_ROOM_PX - LEFT_ROOM_PX
    scale = nice_scale(ground.pot_length_mm, room)
    if measured:
        # One scale for plan and section: both must fit.
        scale = min(scale, nice_scale(2 * reach, 2 * WHEEL_RADIUS_PX))
    wheel_px = reach * scale
    soil_y = (2 * wheel_px + 62 if measured else 20) + STEM_PX
    height = soil_y + depth_shown(ground) * scale + 64
    scene = Scene("sheet", WIDTH_PX, height, f"{sheet.tree.name}: plan over section")
    centre_x = LEFT_ROOM_PX + room / 2
    if measured:
        scene.description = describe(measured)
        # What the next session takes is hatched, not what some later one does.
        cut = sheet.path.steps[0].faults if sheet.path and sheet.path.steps else ()
        ratio = None if sheet.target is None else sheet.target.spread_ratio
        view = WheelView((centre_x, wheel_px + 30), scale, wheel_px, dict.fromkeys(cut, 1.0), ratio)
        add_wheel(scene, measured, view)
    add_section(scene, ground, centre_x, soil_y, scale)
    _title_strip(scene, sheet, scale)
    return scene


def draw_section(sheet: Sheet, path: PlannedPath) -> Scene:
    """The ground half alone with one path's strata."""
    ground = ground_of(sheet, path)
    width = 560.0
    scale = nice_scale(ground.pot_length_mm, width - 190)
    height = 30 + STEM_PX + depth_shown(ground) * scale + 50
    scene = Scene("section", width, height, f"{sheet.tree.name}: section with the planned sessions")
    add_section(scene, ground, width / 2 - 40, 20 + STEM_PX, scale)
    return scene


def depth_shown(ground: Ground) -> float:
    """How far down the section reaches, mm."""
    return max([40.0, ground.pot_depth_mm, *(level.depth_mm for level in ground.strata)])


def add_section(scene: Scene, ground: Ground, x: float, y: float, scale: float) -> None:
    """The ground half, trunk at x and soil line at y."""
    half_pot = ground.pot_length_mm / 2 * scale
    floor = y + ground.pot_depth_mm * scale
    scene.rect((x - half_pot, y), (2 * half_pot, floor - y), "soil")
    _stem(scene, ground, x, y, scale)
    _pot(scene, (x - half_pot, x + half_pot), (y, floor), ground.broken)
    scene.line((6, y), (scene.width - 6, y), "soil-line")
    scene.write((8, y - 6), "soil line", "small")
    _draw_strata(scene, ground, (x - half_pot, x + half_pot), y, scale)
    bar, low = 50 * scale, scene.height - 12
    scene.path([(8, low - 8), (8, low), (8 + bar, low), (8 + bar, low - 8)], "bar")
    scene.write((14 + bar, low + 1), "50 mm", "small")


def _pot(
    scene: Scene, ends: tuple[float, float], levels: tuple[float, float], broken: bool
) -> None:
    """Walls and floor; a pot too long for the drawing ends in break lines."""
    (left, right), (soil, floor) = ends, levels
    if not broken:
        scene.path([(left, soil - 7), (left, floor), (right, floor), (right, soil - 7)], "pot")
        return
    scene.line((left, floor), (right, floor), "pot")
    for end in ends:
        # A break line of three teeth is seen as one; of two as a mistake.
        steps = 6
        zigzag = [
            (end + (3 if n % 2 else -3), soil + (floor - soil) * n / steps)
            for n in range(steps + 1)
        ]
        scene.path(zigzag, "break-line")


def _stem(scene: Scene, ground: Ground, x: float, y: float, scale: float) -> None:
    trunk, flare = ground.trunk_mm / 2 * scale, max(ground.spread_mm, ground.trunk_mm) / 2 * scale
    scene.path(
        [
            (x - trunk, y - STEM_PX),
            (x + trunk, y - STEM_PX),
            (x + trunk * 1.06, y - STEM_PX * 0.5),
            (x + flare, y),
            (x - flare, y),
            (x - trunk * 1.06, y - STEM_PX * 0.5),
        ],
        "trunk",
        closed=True,
    )
    if ground.woody_mm:
        depth = ground.woody_mm * scale
        scene.path(
            [
                (x - flare, y),
                (x + flare, y),
                (x + flare * 0.8, y + depth * 0.45),
                (x + flare * 0.28, y + depth * 0.9),
                (x + flare * 0.1, y + depth),
                (x - flare * 0.1, y + depth),
                (x - flare * 0.28, y + depth * 0.9),
                (x - flare * 0.8, y + depth * 0.45),
            ],
            "wood",
            closed=True,
        )


def _draw_strata(
    scene: Scene, ground: Ground, ends: tuple[float, float], y: float, scale: float
) -> None:
    """Lines at their depth; labels move apart where levels lie close."""
    last_y = y + 2.0
    merged: dict[tuple[float, bool], list[Stratum]] = {}
    for level in ground.strata:
        # Sessions that left the same depth share one line.
        merged.setdefault((round(level.depth_mm, 1), level.planned), []).append(level)
    for (depth, planned), levels in sorted(merged.items(), key=lambda item: item[0]):
        at = y + depth * scale
        role = "stratum-planned" if planned else "stratum"
        scene.line((ends[0] + 8, at), (ends[1] + 14, at), role)
        years = sorted({level.year for level in levels})
        text = f"{years[0]}" if len(years) == 1 else f"{years[0]} to {years[-1] % 100:02}"
        # Labels move down, never up, so they stay in the order of the depths.
        last_y = max(at + 4, last_y + 15)
        scene.line((ends[1] + 14, at), (ends[1] + 22, last_y - 4), role)
        words = f"{text} {levels[-1].note}"
        scene.write((ends[1] + 26, last_y), words, "planned-words" if planned else "done-words")


def _title_strip(scene: Scene, sheet: Sheet, scale: float) -> None:
    parts = [sheet.tree.name]
    if sheet.base is not None:
        made, kind = sheet.base.measurement.measured_on, sheet.base.record.calibration.kind
        parts.append(f"{made.day} {made:%b %Y}, {kind}")
    parts.append(f"1 : {CSS_PX_PER_MM / scale:.1f}")
    # The strip's letters are all about as wide; a measured width would need a browser.
    widths = [len(part) * 6.6 + 20 for part in parts]
    x, top = scene.width - sum(widths), scene.height - 24
    for part, width in zip(parts, widths, strict=True):
        scene.rect((x, top), (width - 0.5, 23.5), "strip")
        scene.write((x + width / 2, top + 16), part, "small", "middle")
        x += width
