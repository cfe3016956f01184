"""Bases side by side, all to one scale, front below: the photo laid flat, else the drawn base."""

from __future__ import annotations

from collections.abc import Sequence

from shapely.geometry import LinearRing

from mirvo.core.lengths import INCHES, MM, MM_PER_INCH
from mirvo.core.measure.records import TopRecord
from mirvo.studio.measuring.flat_photo import AROUND_BASE, MADE
from mirvo.studio.standing.tree_list import TreeRow
from mirvo.web.drawings.scene import Point, Scene
from mirvo.web.drawings.wheel import describe, tapered
from mirvo.web.lengths import unit, units_of_request

TILE_PX = (320.0, 212.0)
# The scale is one at which three of four bases fit; a giant runs out of its tile.
FITS = 0.75
BARS = {MM: (10.0, 20.0, 50.0, 100.0, 200.0, 500.0), INCHES: (0.5, 1.0, 2.0, 4.0, 8.0, 20.0)}
BAR_PX = 40.0
SMALLEST_REACH_MM = 10.0
# What is finer nobody sees at this size, and it would be most of a page of trees.
FINEST_PX = 0.6


def draw_tiles(rows: Sequence[TreeRow]) -> dict[int, Scene]:
    """By tree the bases of some trees to one scale; one that is not measured has no drawing."""
    bases = [(row, row.measured) for row in rows if row.measured is not None]
    reaches = sorted(measured.frame_mm for _, measured in bases) or [SMALLEST_REACH_MM]
    reach = max(SMALLEST_REACH_MM, reaches[int(FITS * (len(reaches) - 1))])
    scale = TILE_PX[1] / 2 / reach
    return {row.tree.id: _tile(row, measured, scale) for row, measured in bases}


def _tile(row: TreeRow, measured: TopRecord, scale: float) -> Scene:
    wide, high = TILE_PX
    title = f"Base of {row.tree.name} from above, front below"
    scene = Scene(f"base-{row.tree.id}", wide, high, title, describe(measured))
    middle = wide / 2, high / 2
    # Under the photo, so that a base whose photo is lost is still seen.
    add_base(scene, measured, middle, scale)
    half = AROUND_BASE * measured.frame_mm * scale
    if row.measurement_id is not None:
        address = flat_address(row.measurement_id, row.stamp)
        scene.image((middle[0] - half, middle[1] - half), (2 * half, 2 * half), address)
    _scale_bar(scene, scale)
    return scene


def flat_address(measurement_id: int, stamp: str) -> str:
    """Where a base's photo laid flat is fetched. stamp : when its marks were last kept."""
    return f"/measurements/{measurement_id}/base.jpg?v={stamp}-{MADE}"


def _scale_bar(scene: Scene, scale: float) -> None:
    units = units_of_request.get()
    per_unit = scale * (MM_PER_INCH if units == INCHES else 1.0)
    length = next((bar for bar in BARS[units] if bar * per_unit >= BAR_PX), BARS[units][-1])
    x, y = 10.0, TILE_PX[1] - 10.0
    end = x + length * per_unit
    scene.path([(x, y - 6), (x, y), (end, y), (end, y - 6)], "scale-bar")
    scene.write((x, y - 9), f"{length:g} {unit()}", "scale-words")


def add_base(scene: Scene, measured: TopRecord, middle: Point, scale: float) -> None:
    """Roots and trunk alone, without rings and words, as fine as so small a drawing shows."""

    def place(points: list[Point]) -> list[Point]:
        px = [(middle[0] + x * scale, middle[1] - y * scale) for x, y in points]
        ring = LinearRing(px) if len(px) > 3 else None
        return px if ring is None else [(x, y) for x, y in ring.simplify(FINEST_PX).coords][:-1]

    for root in measured.roots:
        role = "root-dead" if root.condition == "dead" else "root"
        scene.path(place(tapered(root)), role, closed=True)
    for trunk in measured.trunks:
        scene.path(place(list(trunk.outline_mm)), "trunk", closed=True)
