"""Side views of a solid base on a turntable, and the marks a person would set on them.

Nothing is turned but the camera, with the card and the light beside it: to the picture it is the
same, and the truth stays in the base's own frame.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from mirvo.standins.base import Truth, heading
from mirvo.standins.scene import CREST_SHARE
from mirvo.standins.turntable import (
    CARD_ASIDE_MM,
    CARD_MIDDLE_MM,
    EDGE_STEP_MM,
    FACING,
    SideCamera,
    turned,
)
from tools.traced.base import Array
from tools.traced.camera import FULL_FRAME_DIAGONAL_MM, TracedCamera
from tools.traced.of_base import FlaredBase
from tools.traced.scene import TracedScene
from tools.traced.sheet import Sheet

AROUND_DEG = np.arange(0.0, 360.0, 0.5)
# In soil-line widths: how high edges are marked, and where the narrowest place is sought.
EDGES_TO, NARROWEST_WITHIN = 2.15, (0.5, 2.0)


@dataclass(frozen=True)
class UprightSheet(Sheet):
    """The card standing beside the trunk, facing the camera; turn_deg : of the turntable."""

    turn_deg: float = 0.0

    def lifted(self, flat: Array) -> Array:
        """Points of the print (n, 2), mm, in space (n, 3)."""
        x = self.place[0] + flat[:, 0]
        stands = np.column_stack([x, np.full(len(x), self.place[1]), self.height_mm + flat[:, 1]])
        return turned(stands, -self.turn_deg)


def from_the_side(scene: TracedScene, shot: SideCamera, turn_deg: float) -> TracedScene:
    """The same scene as its turntable shows it, turned clockwise by `turn_deg`."""
    card = UprightSheet((CARD_ASIDE_MM, 0.0), 0.0, CARD_MIDDLE_MM, turn_deg=turn_deg)
    light = replace(scene.light, toward=turned(scene.light.toward, -turn_deg))
    camera = _camera_at(shot, turn_deg)
    return replace(scene, camera=camera, sheet=card, light=light, leaves=None)


def side_marks(base: FlaredBase, camera: TracedCamera, turn_deg: float) -> Truth:
    """The marks of one view without any error."""
    soil = _edges(base, turn_deg, np.zeros(1))[0]
    heights = np.arange(0.0, EDGES_TO * (soil[1] - soil[0]), EDGE_STEP_MM)
    edges = _edges(base, turn_deg, heights)

    def see(x: Array, z: Array) -> list[list[float]]:
        flat = np.column_stack([x, np.zeros_like(x), z])
        seen: list[list[float]] = camera.see(turned(flat, -turn_deg)).tolist()
        return seen

    return {
        "view": "side",
        "calibration": {"kind": "card"},
        "soil_line": see(soil, np.zeros(2)),
        "left_edge": see(edges[:, 0], heights),
        "right_edge": see(edges[:, 1], heights),
        "emergences": _emergences(base, camera, turn_deg),
        "turntable_deg": turn_deg,
    }


def side_figures(base: FlaredBase, turn_deg: float) -> Truth:
    """True figures of one view, mm: widths and their ratio."""

    def width(height: float) -> float:
        left, right = _edges(base, turn_deg, np.array([height]))[0]
        return float(right - left)

    soil = width(0.0)
    narrowest = min(width(float(z)) for z in np.linspace(*NARROWEST_WITHIN, 60) * soil)
    return {
        "soil_line_width_mm": soil,
        "narrowest_width_mm": narrowest,
        "flare_ratio": soil / narrowest,
    }


def _edges(base: FlaredBase, turn_deg: float, heights: Array) -> Array:
    """x of the left and right silhouette (n, 2), mm, at heights (n,), seen level from far away."""
    ways = heading(AROUND_DEG)
    found = []
    for height in heights:
        radius = base.radius_at(np.arctan2(ways[:, 1], ways[:, 0]), height)
        flat = base.axis_at(height) + ways * radius[:, None]
        x = turned(np.column_stack([flat, np.zeros(len(flat))]), turn_deg)[:, 0]
        found.append((x.min(), x.max()))
    return np.array(found)


def _emergences(base: FlaredBase, camera: TracedCamera, turn_deg: float) -> list[Truth]:
    """Where the roots that face the camera leave the base, on their crests."""
    assert base.of is not None
    found: list[Truth] = []
    for number, root in enumerate(base.of.roots):
        way = heading(root.azimuth_deg)
        radius = float(base.radius_at(np.arctan2(way[1], way[0]), 0.0))
        place = np.array([*(way * radius), CREST_SHARE * root.width_mm])
        faced = turned(place, turn_deg)
        if -faced[1] > FACING * np.hypot(faced[0], faced[1]):
            point = camera.see(place[None])[0].tolist()
            found.append({"label": chr(ord("A") + number), "point": point})
    return found


def _camera_at(shot: SideCamera, turn_deg: float) -> TracedCamera:
    """The camera carried round the tree against the turn."""
    pitch = np.radians(shot.pitch_deg)
    sight = np.array([0.0, np.cos(pitch), -np.sin(pitch)])
    rows = np.stack([[1.0, 0.0, 0.0], [0.0, -np.sin(pitch), -np.cos(pitch)], sight])
    place = np.array([0.0, 0.0, shot.aim_high_mm]) - sight * shot.distance_mm
    diagonal = float(np.hypot(shot.width, shot.height))
    focal = shot.focal_35mm * diagonal / FULL_FRAME_DIAGONAL_MM
    return TracedCamera(
        shot.width, shot.height, focal, turned(place, -turn_deg), turned(rows, -turn_deg)
    )
