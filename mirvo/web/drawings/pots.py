"""Pots to scale: from above and in section, with a ball in them, and what stays wet in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mirvo.core.measure.records import TopRecord
from mirvo.core.pot import Ball, Fit, Pot, WetZone
from mirvo.core.pot.fit import fill_mm
from mirvo.web.drawings.scene import Point, Scene, nice_scale
from mirvo.web.drawings.tiles import add_base
from mirvo.web.lengths import in_units, length_text, lengths_in, sizes_text

SHELF_PX, SHELF_HIGH_PX = 240.0, 150.0
FIT_PX, FIT_HIGH_PX, WET_PX, WET_HIGH_PX = 460.0, 700.0, 460.0, 300.0
WALL_STEPS = 10
FEET_SHARE = 0.14
GAP_PX = 18.0
# How far the inner arc of a crescent is hollowed, of its width.
CRESCENT_BITE = 0.25


@dataclass(frozen=True)
class _Paper:
    """Where a drawing's middle is and how many px a mm has."""

    x: float
    y: float
    scale: float

    def at(self, x: float, y: float) -> Point:
        """Of mm to the right and down."""
        return (self.x + x * self.scale, self.y + y * self.scale)


def shelf_scale(pots: Sequence[Pot]) -> float:
    """One scale, px a mm, in which the largest of some pots still fits its place."""
    longest = max((pot.length for pot in pots), default=300.0)
    tallest = max((_across(pot) + pot.depth for pot in pots), default=200.0)
    room = SHELF_HIGH_PX - GAP_PX - 16
    return min(nice_scale(longest, SHELF_PX - 20), room / tallest)


def draw_pot(key: str, pot: Pot, feet_mm: float | None, scale: float) -> Scene:
    """A pot from above over its section."""
    title = f"{pot.shape}, inside {sizes_text(pot.length, pot.width, pot.depth)}"
    scene = Scene(key, SHELF_PX, SHELF_HIGH_PX, title, "From above, and cut through.")
    across = _across(pot) * scale
    plan = _Paper(SHELF_PX / 2, 8 + across / 2, scale)
    _plan(scene, pot, plan, "pot-inside")
    section = _Paper(SHELF_PX / 2, 8 + across + GAP_PX, scale)
    _section(scene, pot, section, feet_mm or 0.0)
    return scene


def draw_fit(
    pot: Pot,
    ball: Ball,
    found: Fit,
    moved: tuple[float, float],
    base: TopRecord | None = None,
    feet_mm: float | None = None,
) -> Scene:
    """A ball in a pot from above, front below, and in section; what is too large is hatched.

    moved : of the trunk off the pot's middle, see `off_centre`. base : drawn on the ball.
    """
    wide, across = max(pot.length, ball.length), max(_across(pot), ball.width)
    deep = max(pot.depth, ball.depth + 20)
    scale = min(nice_scale(wide, FIT_PX - 60), nice_scale(across + deep, FIT_HIGH_PX))
    across, deep = across * scale, deep * scale
    height = across + deep + 96
    scene = Scene("fit", FIT_PX, height, "The ball in the pot, to scale", lengths_in(found.said))
    plan = _Paper(FIT_PX / 2, 12 + across / 2, scale)
    _plan(scene, pot, plan, "pot-inside")
    middle = plan.at(moved[0], -moved[1])
    _ball_above(scene, pot, ball, middle, scale)
    if base is None:
        scene.circle(middle, 3, "trunk-spot")
    else:
        add_base(scene, base, middle, scale)
    if any(abs(way) >= 1 for way in moved):
        scene.line(plan.at(0, 0), middle, "off-centre")
    section = _Paper(FIT_PX / 2, 12 + across + 40, scale)
    _section(scene, pot, section, feet_mm or 0.0)
    _ball_aside(scene, pot, ball, found, section)
    scene.scale_bar((8, height - 12), scale)
    return scene


def draw_wet(pot: Pot, plain: WetZone, layered: WetZone) -> Scene:
    """What stays wet over the floor: one mix to the floor, and the same over a coarse layer."""
    scale = min((WET_PX / 2 - 24) / pot.length, WET_HIGH_PX / pot.depth)
    height = pot.depth * scale + 64
    said = (
        f"Without a layer {length_text(plain.wet)} stay wet of {in_units(plain.depth)}; over a "
        f"layer of {length_text(layered.layer)} {length_text(layered.wet)}, and "
        f"{length_text(layered.dry)} are left."
    )
    scene = Scene("wet", WET_PX, height, "What stays wet", said)
    for x, zone, name in (
        (WET_PX / 4, plain, "one mix"),
        (3 * WET_PX / 4, layered, f"{length_text(layered.layer)} coarse below"),
    ):
        paper = _Paper(x, 20, scale)
        walls = _walls(pot, paper)
        scene.path(walls, "soil", closed=True)
        if zone.layer:
            scene.path(_slice(pot, paper, 0, zone.layer), "coarse-layer", closed=True)
        scene.path(_slice(pot, paper, zone.layer, zone.layer + zone.wet), "wet", closed=True)
        scene.path(walls, "pot")
        low = 20 + pot.depth * scale
        scene.write((x, low + 16), name, "small", "middle")
        dry = "all wet" if zone.all_wet else f"{length_text(zone.dry)} airy"
        scene.write((x, low + 32), f"{length_text(zone.wet)} wet, {dry}", "small", "middle")
    return scene


def _across(pot: Pot) -> float:
    """How much room its plan takes from front to back, mm."""
    return pot.width * (1 + CRESCENT_BITE) if pot.shape == "crescent" else pot.width


def _plan(scene: Scene, pot: Pot, paper: _Paper, role: str) -> None:
    _outline(scene, pot, pot.length, pot.width, paper, role)
    if pot.rim_in:
        _outline(scene, pot, *pot.opening, paper, "pot-rim")


def _outline(scene: Scene, pot: Pot, length: float, width: float, paper: _Paper, role: str) -> None:
    """The plan of a pot, of another size if so asked."""
    half_x, half_y = length / 2 * paper.scale, width / 2 * paper.scale
    x, y = paper.x, paper.y
    if pot.shape in ("oval", "round", "drum", "slab"):
        scene.curve(_ellipse(x, y, half_x, half_y), role)
    elif pot.shape == "crescent":
        # Both arcs are parabolas through the tips, as deep as half their control points.
        bite = CRESCENT_BITE * 2 * half_y
        tips = y - half_y - bite / 2
        outer, inner = tips + 2 * (2 * half_y + bite), tips + 2 * bite
        scene.curve(
            f"M{x - half_x:.1f} {tips:.1f} Q{x:.1f} {outer:.1f} {x + half_x:.1f} {tips:.1f} "
            f"Q{x:.1f} {inner:.1f} {x - half_x:.1f} {tips:.1f} Z",
            role,
        )
    elif pot.shape == "rounded" and pot.corner:
        corner = min(pot.corner * paper.scale, half_x, half_y)
        scene.curve(_rounded(x, y, half_x, half_y, corner), role)
    else:
        scene.rect((x - half_x, y - half_y), (2 * half_x, 2 * half_y), role)


def _ellipse(x: float, y: float, half_x: float, half_y: float) -> str:
    return (
        f"M{x - half_x:.1f} {y:.1f} A{half_x:.1f} {half_y:.1f} 0 1 1 {x + half_x:.1f} {y:.1f} "
        f"A{half_x:.1f} {half_y:.1f} 0 1 1 {x - half_x:.1f} {y:.1f} Z"
    )


def _rounded(x: float, y: float, half_x: float, half_y: float, corner: float) -> str:
    arc = f"A{corner:.1f} {corner:.1f} 0 0 1"
    return (
        f"M{x - half_x + corner:.1f} {y - half_y:.1f} H{x + half_x - corner:.1f} "
        f"{arc} {x + half_x:.1f} {y - half_y + corner:.1f} V{y + half_y - corner:.1f} "
        f"{arc} {x + half_x - corner:.1f} {y + half_y:.1f} H{x - half_x + corner:.1f} "
        f"{arc} {x - half_x:.1f} {y + half_y - corner:.1f} V{y - half_y + corner:.1f} "
        f"{arc} {x - half_x + corner:.1f} {y - half_y:.1f} Z"
    )


def _section(scene: Scene, pot: Pot, paper: _Paper, feet: float) -> None:
    """Cut through its length, the rim at the paper's middle; feet below the floor."""
    walls = _walls(pot, paper)
    scene.path(walls, "soil", closed=True)
    if pot.shape == "slab":
        half, low = pot.length / 2, pot.depth
        scene.path(walls, "pot-rim")
        scene.line(paper.at(-half * 1.05, low), paper.at(half * 1.05, low), "pot")
        return
    (left, top), (right, _) = walls[0], walls[-1]
    lip = pot.rim_in * paper.scale
    scene.path([(left + lip, top), *walls, (right - lip, top)], "pot")
    if feet:
        half = pot.floor[0] / 2
        for side in (-1, 1):
            inner, outer = side * half * (1 - FEET_SHARE * 2), side * half * (1 - FEET_SHARE)
            corner = paper.at(min(inner, outer), pot.depth)
            scene.rect(corner, (abs(outer - inner) * paper.scale, feet * paper.scale), "pot-foot")


def _walls(pot: Pot, paper: _Paper) -> list[Point]:
    return _slice(pot, paper, 0.0, pot.depth)


def _slice(pot: Pot, paper: _Paper, low: float, high: float) -> list[Point]:
    """The inside between two heights over the floor, from its left top round to its right top."""
    heights = [high - (high - low) * step / WALL_STEPS for step in range(WALL_STEPS + 1)]
    sides = [(pot.inside_at(height)[0] / 2, pot.depth - height) for height in heights]
    return [
        *(paper.at(-out, down) for out, down in sides),
        *(paper.at(out, down) for out, down in sides[::-1]),
    ]


def _ball_above(scene: Scene, pot: Pot, ball: Ball, middle: Point, scale: float) -> None:
    over = ball.length > pot.length or ball.width > pot.width
    around = _Paper(*middle, scale)
    role = "ball-over" if over else "ball-in-pot"
    _outline(scene, pot, ball.length, ball.width, around, role)


def _ball_aside(scene: Scene, pot: Pot, ball: Ball, found: Fit, paper: _Paper) -> None:
    """The ball from the soil line down; what has to come off its underside is hatched."""
    soil = pot.depth - fill_mm(pot)
    half, off = ball.length / 2, found.off[2]
    left, wide = paper.at(-half, soil), ball.length * paper.scale
    scene.rect(left, (wide, (ball.depth - off) * paper.scale), "ball-in-pot")
    if off:
        under = paper.at(-half, soil + ball.depth - off)
        scene.rect(under, (wide, off * paper.scale), "ball-over")
    a, b = paper.at(-pot.length / 2, soil), paper.at(pot.length / 2, soil)
    scene.line((a[0] - 14, a[1]), (b[0] + 14, b[1]), "soil-line")
