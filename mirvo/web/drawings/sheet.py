"""The tree sheet: plan over section, one scale, one axis."""

from __future__ import annotations

from dataclasses import dataclass, replace

from mirvo.core.measure.records import TopRecord
from mirvo.core.plan.case import FINAL
from mirvo.core.plan.records import PlannedPath
from mirvo.core.pot import Pot
from mirvo.records.models import Measurement, RootSession
from mirvo.studio.measuring.flat_photo import AROUND_BASE
from mirvo.studio.standing.pot_of_tree import pot_of_tree
from mirvo.studio.standing.tree_list import stamp_of
from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Point, Scene, nice_scale
from mirvo.web.drawings.tiles import add_base, flat_address
from mirvo.web.drawings.wheel import WheelView, add_wheel, describe
from mirvo.web.lengths import length_text

STRIP_PX = 96.0
# What the plan shows of a base.
PLANS = ("both", "photo", "drawing")
STEM_PX = 44.0
# Enough for the curve of a drum's wall.
WALL_STEPS = 12
# The stylesheet's inch has 96 px, so the scale on the strip is that of the printed page.
CSS_PX_PER_MM = 96 / 25.4
# Before anything is measured or entered the drawing is laid out by something.
DEFAULT_TRUNK_MM = 40.0
CLEAR_MM = 4.0


@dataclass(frozen=True)
class Sizes:
    """What room a sheet has, px: its width, for labels at the right, at the left, for the wheel."""

    key: str
    width: float
    labels: float
    left: float
    wheel_radius: float


WIDE = Sizes("sheet", 790.0, 130.0, 64.0, 210.0)
# Drawn for a phone, not shrunk to it: its words have the size of words.
PHONE = Sizes("sheet-phone", 366.0, 134.0, 6.0, 150.0)


@dataclass(frozen=True)
class Stratum:
    """One level below the soil line: done (solid) or planned (dashed).

    pot_mm : inner length and depth of the pot it stood in, None where nobody wrote it down.
    """

    year: int
    depth_mm: float
    note: str
    planned: bool
    pot_mm: tuple[float, float] | None = None


@dataclass(frozen=True)
class Ground:
    """The ground half of a tree in mm below the soil line; a pot may be broken off at its ends.

    A trunk or a pot that is not known has a size to lay the drawing out by, and is not drawn.
    """

    trunk_mm: float
    spread_mm: float
    pot_length_mm: float
    pot_depth_mm: float
    woody_mm: float | None
    ball_mm: float | None
    strata: list[Stratum]
    broken: bool = False
    trunk_known: bool = True
    pot_known: bool = True
    # From the shelf: its walls are drawn as they run.
    shelf: Pot | None = None


def ground_of(sheet: Sheet, path: PlannedPath | None) -> Ground:
    """What the section draws."""
    measured = None if sheet.base is None else sheet.base.record
    trunk = measured.trunk_diameter_mm.value if measured else None
    trunk = trunk or sheet.tree.trunk_mm
    trunk_known = trunk is not None
    trunk = trunk or DEFAULT_TRUNK_MM
    _, counted = sheet.spread or ("", None)
    # Where it is not known a slight flare is drawn, as nearly every tree has.
    spread = trunk * 1.2 if counted is None else counted.mean_mm.value
    last = sheet.sessions[0] if sheet.sessions else None
    woody = next((s.woody_depth_mm for s in sheet.sessions if s.woody_depth_mm), None)
    strata = _strata(sheet, path)
    # The pot must reach below every level drawn in it.
    deepest = max([60.0, *(level.depth_mm for level in strata)])
    stands_in = pot_of_tree(sheet.tree, sheet.sessions)
    length, depth = stands_in.length, stands_in.depth
    return Ground(
        trunk,
        spread,
        length or trunk * 5,
        depth or deepest + 15,
        woody,
        last.ball_depth_after if last else None,
        strata,
        trunk_known=trunk_known,
        pot_known=depth is not None,
        shelf=stands_in.shelf,
    )


def _strata(sheet: Sheet, path: PlannedPath | None) -> list[Stratum]:
    done = [
        Stratum(session.done_on.year, depth, length_text(depth), False, _pot_of(session))
        for session in sheet.sessions
        if (depth := session.ball_depth_after)
    ]
    planned = [
        Stratum(
            step.year,
            step.ball_after_mm,
            "show pot" if step.container == FINAL else length_text(step.ball_after_mm),
            True,
        )
        for step in (path.steps if path else ())
    ]
    return done + planned


def _pot_of(session: RootSession) -> tuple[float, float] | None:
    if session.pot_length_mm is None or session.pot_depth_mm is None:
        return None
    return session.pot_length_mm, session.pot_depth_mm


def draw_sheet(
    sheet: Sheet,
    show: str = "drawing",
    dated: Measurement | None = None,
    sizes: Sizes = WIDE,
) -> Scene | None:
    """Plan and section of one tree; None before anything of either is known.

    show : the plan's drawing, its photo, or both, see `PLANS`. dated : an earlier measurement
    to be shown in the plan in place of the base as it stands.
    """
    measured = None if sheet.base is None else sheet.base.record
    if dated is not None and dated.top is not None:
        measured = dated.top
    if measured is None and not (sheet.tree.trunk_mm or sheet.sessions or sheet.tree.pot_depth_mm):
        return None
    ground = ground_of(sheet, sheet.path)
    reach = measured.frame_mm if measured else 0.0
    room = sizes.width - sizes.labels - sizes.left
    scale = nice_scale(ground.pot_length_mm, room)
    if measured:
        # One scale for plan and section: both must fit. Where there is little room the base comes
        # first, and a long pot is broken off.
        of_wheel = nice_scale(2 * reach, 2 * sizes.wheel_radius)
        scale = min(scale, of_wheel) if sizes is WIDE else of_wheel
        if ground.pot_length_mm * scale > room:
            ground = replace(ground, pot_length_mm=room / scale, broken=True)
    wheel_px = reach * scale
    soil_y = (2 * wheel_px + 62 if measured else 20) + STEM_PX
    height = soil_y + depth_shown(ground) * scale + 64
    scene = Scene(sizes.key, sizes.width, height, f"{sheet.tree.name}: plan over section")
    centre_x = sizes.left + room / 2
    wheel_x = centre_x if sizes is WIDE else sizes.width / 2
    if measured:
        scene.description = describe(measured)
        # What the next session takes is hatched, not what some later one does.
        cut = sheet.path.steps[0].faults if sheet.path and sheet.path.steps and not dated else ()
        ratio = None if sheet.target is None else sheet.target.spread_ratio
        view = WheelView((wheel_x, wheel_px + 30), scale, wheel_px, dict.fromkeys(cut, 1.0), ratio)
        shown = dated or (None if sheet.base is None else sheet.base.measurement)
        if shown is not None and show != "drawing":
            scene.mode = f"over-{show}"
            _lay_photo(scene, shown, view, measured.frame_mm)
        add_wheel(scene, measured, view)
    add_section(scene, ground, centre_x, soil_y, scale)
    _title_strip(scene, sheet, scale, dated)
    return scene


def _lay_photo(scene: Scene, shown: Measurement, view: WheelView, frame_mm: float) -> None:
    half = AROUND_BASE * (shown.top.frame_mm if shown.top else frame_mm) * view.scale
    corner = view.centre[0] - half, view.centre[1] - half
    scene.image(
        corner,
        (2 * half, 2 * half),
        flat_address(shown.id, stamp_of(shown.updated_at)),
        "plan-photo",
    )


def draw_strip(sheet: Sheet) -> dict[int, Scene]:
    """Every dated base by its measurement's number, small and to one scale."""
    dated = [(row, row.top) for row in sheet.dated if row.top is not None]
    largest = max((measured.frame_mm for _, measured in dated), default=1.0)
    return {row.id: _dated(row, measured, largest) for row, measured in dated}


def _dated(row: Measurement, measured: TopRecord, largest_mm: float) -> Scene:
    title = f"Base on {row.measured_on:%d %B %Y}"
    scene = Scene(f"dated-{row.id}", STRIP_PX, STRIP_PX, title, describe(measured))
    middle = STRIP_PX / 2, STRIP_PX / 2
    add_base(scene, measured, middle, STRIP_PX / 2 / largest_mm)
    return scene


def depth_shown(ground: Ground) -> float:
    """How far down the section reaches, mm."""
    levels = (level.depth_mm for level in ground.strata)
    floors = (depth for _, depth in _deeper_pots(ground))
    return max([40.0, ground.pot_depth_mm, *levels, *floors])


def add_section(scene: Scene, ground: Ground, x: float, y: float, scale: float) -> None:
    """The ground half, trunk at x and soil line at y."""
    half_pot = ground.pot_length_mm / 2 * scale
    floor = y + ground.pot_depth_mm * scale
    _former_pots(scene, ground, x, y, scale)
    walls = None
    if ground.shelf is not None and not ground.broken:
        walls = _walls(ground.shelf, x, floor, scale)
        scene.path(walls, "soil", closed=True)
    elif ground.pot_known:
        scene.rect((x - half_pot, y), (2 * half_pot, floor - y), "soil")
    if ground.trunk_known:
        _stem(scene, ground, x, y, scale)
    if ground.pot_known:
        if walls is None:
            _pot(scene, (x - half_pot, x + half_pot), (y, floor), ground.broken)
        else:
            lip = (ground.shelf.rim_in if ground.shelf else 0.0) * scale
            (left, top), (right, _) = walls[0], walls[-1]
            scene.path([(left + lip, top), *walls, (right - lip, top)], "pot")
    scene.line((6, y), (scene.width - 6, y), "soil-line")
    scene.write((8, y - 6), "soil line", "small")
    _draw_strata(scene, ground, (x - half_pot, x + half_pot), y, scale)
    scene.scale_bar((8, scene.height - 12), scale)


def _walls(pot: Pot, x: float, floor: float, scale: float) -> list[Point]:
    """The inside of a pot as it runs from rim to rim, over its floor."""
    heights = [pot.depth * step / WALL_STEPS for step in range(WALL_STEPS, -1, -1)]
    half = [(pot.inside_at(height)[0] / 2 * scale, floor - height * scale) for height in heights]
    return [*((x - out, at) for out, at in half), *((x + out, at) for out, at in half[::-1])]


def _deeper_pots(ground: Ground) -> list[tuple[float, float]]:
    """Pots of earlier sessions whose ball would not fit into the one it stands in now, by length
    and depth, mm."""
    return sorted(
        {
            level.pot_mm
            for level in ground.strata
            if level.pot_mm is not None and level.depth_mm > ground.pot_depth_mm
        }
    )


def _former_pots(scene: Scene, ground: Ground, x: float, y: float, scale: float) -> None:
    for length, depth in _deeper_pots(ground):
        # Broken off where the pot is that it stands in now.
        longest = ground.pot_length_mm if ground.broken else length
        half, floor = min(length, longest) / 2 * scale, y + depth * scale
        walls = [(x - half, y), (x - half, floor), (x + half, floor), (x + half, y)]
        scene.path(walls, "pot-ghost")


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
        "stem",
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
        # A former ball lies within its own pot, which may have been narrower.
        own = levels[0].pot_mm
        left = ends[0] + 8
        if own is not None and depth > ground.pot_depth_mm and not ground.broken:
            left = (ends[0] + ends[1]) / 2 - own[0] / 2 * scale + 8
        scene.line((left, at), (ends[1] + 14, at), role)
        years = sorted({level.year for level in levels})
        text = f"{years[0]}" if len(years) == 1 else f"{years[0]} to {years[-1] % 100:02}"
        # Labels move down, never up, so they stay in the order of the depths.
        last_y = max(at + 4, last_y + 15)
        scene.line((ends[1] + 14, at), (ends[1] + 22, last_y - 4), role)
        words = f"{text} {levels[-1].note}"
        scene.write((ends[1] + 26, last_y), words, "planned-words" if planned else "done-words")


def _title_strip(scene: Scene, sheet: Sheet, scale: float, dated: Measurement | None) -> None:
    parts = [sheet.tree.name]
    if dated is not None and dated.top is not None:
        made, kind = dated.measured_on, dated.top.calibration.kind
        parts.append(f"{made.day} {made:%b %Y}, {kind}")
    elif sheet.base is not None:
        made, kind = sheet.base.measurement.measured_on, sheet.base.record.calibration.kind
        parts.append(f"{made.day} {made:%b %Y}, {kind}")
    parts.append(f"1 : {CSS_PX_PER_MM / scale:.1f}")
    if scene.width < WIDE.width:
        # The name stands above on a phone.
        parts = parts[1:]
    # The strip's letters are all about as wide; a measured width would need a browser.
    widths = [len(part) * 6.6 + 20 for part in parts]
    x, top = scene.width - sum(widths), scene.height - 24
    for part, width in zip(parts, widths, strict=True):
        scene.rect((x, top), (width - 0.5, 23.5), "strip")
        scene.write((x + width / 2, top + 16), part, "small", "middle")
        x += width
