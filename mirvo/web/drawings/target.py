"""The target on the drawing: its ring on the plan, its pot's floor in the section."""

from __future__ import annotations

from dataclasses import dataclass, replace

from mirvo.core.plan.records import PlannedPath
from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Scene, Slider, nice_scale
from mirvo.web.drawings.sheet import STEM_PX, add_section, depth_shown, ground_of
from mirvo.web.drawings.wheel import WheelView, add_wheel, describe
from mirvo.web.lengths import length_text

WIDTH_PX, LEFT_PX, LABEL_PX = 510.0, 24.0, 150.0
WHEEL_PX = 168.0
# Below these there is no flare and no ball; the knobs stop there.
MIN_RATIO, MIN_DEPTH_MM = 1.05, 31.0
ROOM_TO_DRAG = 0.6
KNOB_SHARE = 0.62


@dataclass(frozen=True)
class Wish:
    """What the drawing shows and sets: spread in trunks, pot depth inside in mm."""

    spread_ratio: float
    pot_depth_mm: float


def draw_target(sheet: Sheet, path: PlannedPath | None, wish: Wish) -> Scene | None:
    """Plan over section with two knobs; None before the first measurement."""
    if sheet.base is None:
        return None
    measured, ground = sheet.base.record, ground_of(sheet, path)
    trunk = ground.trunk_mm
    reach = measured.frame_mm
    # There must be room to drag outward, and to the roots that reach farthest.
    max_ratio = max(wish.spread_ratio + ROOM_TO_DRAG, 2.5, 1.9 * reach / trunk)
    # The same figure is drawn and sent, so it is rounded before both.
    max_ratio = round(max_ratio, 2)
    room = WIDTH_PX - LEFT_PX - LABEL_PX
    rim = max(reach, max_ratio * trunk / 2)
    scale = nice_scale(2 * rim, 2 * WHEEL_PX)
    if ground.pot_length_mm * scale > room:  # its walls would lie outside the drawing
        ground = replace(ground, pot_length_mm=room / scale, broken=True)
    deepest = round(max(wish.pot_depth_mm + 30, depth_shown(ground)))
    x, wheel_y = LEFT_PX + room / 2, rim * scale + 30
    soil_y = wheel_y + rim * scale + 30 + STEM_PX
    height = soil_y + deepest * scale + 44
    scene = Scene("target", WIDTH_PX, height, f"{sheet.tree.name}: the target, to be dragged")
    # An image has no parts for a screen reader; a group with sliders has.
    scene.role, scene.description = "group", describe(measured)
    add_wheel(scene, measured, WheelView((x, wheel_y), scale, reach * scale))
    radius = wish.spread_ratio * trunk / 2 * scale
    scene.circle((x, wheel_y), radius, "target-ring")
    per_ratio = trunk / 2 * scale
    scene.slider(
        "ring",
        ((x + MIN_RATIO * per_ratio, wheel_y), (x + max_ratio * per_ratio, wheel_y)),
        Slider(
            "spread_ratio",
            "Target spread",
            (MIN_RATIO, max_ratio),
            wish.spread_ratio,
            0.05,
            2,
            "trunks",
        ),
    )
    scene.write((WIDTH_PX - 6, 18), "target", "small", "end")
    text = f"{wish.spread_ratio:.2f} trunks"
    scene.write((WIDTH_PX - 6, 36), text, "target-words", "end", says="ring")
    add_section(scene, ground, x, soil_y, scale)
    _floor(scene, wish, (x, soil_y), (ground.pot_length_mm / 2 * scale, scale), deepest)
    return scene


def _floor(
    scene: Scene, wish: Wish, origin: tuple[float, float], size: tuple[float, float], deepest: float
) -> None:
    """The floor of the target's pot across the section, with its knob."""
    (x, soil_y), (half, scale) = origin, size
    y = soil_y + wish.pot_depth_mm * scale
    scene.line((x - half - 14, y), (x + half + 6, y), "target-floor")
    # Left of the middle, where neither wood nor words are in the way.
    at = x - half * KNOB_SHARE
    scene.slider(
        "floor",
        ((at, soil_y + MIN_DEPTH_MM * scale), (at, soil_y + deepest * scale)),
        Slider(
            "pot_depth_mm",
            "Depth of the target pot inside",
            (MIN_DEPTH_MM, float(deepest)),
            wish.pot_depth_mm,
            1.0,
            0,
            "mm",
        ),
    )
    scene.write((WIDTH_PX - 6, soil_y - 30), "target pot, inside", "small", "end")
    text = length_text(wish.pot_depth_mm)
    scene.write((WIDTH_PX - 6, soil_y - 12), text, "target-words", "end", says="floor")
