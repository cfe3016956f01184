"""What a path-traced photo truly shows: marks as a person without error sets them, and figures.

Azimuths are clockwise from the back as seen from above, as everywhere in the project; the front
lies toward -y. A root's base lies a twelfth of the trunk's diameter beyond the trunk's outline.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from tools.traced.base import Array, Tube
from tools.traced.scene import TracedScene

BEYOND_TRUNKS = 1 / 12
# A crest is seen where what the camera sees there lies no farther from it, mm.
SEEN_WITHIN_MM = 3.5
EVERY = 4
MIN_SEEN = 0.5
# Flanks are looked for so many half widths to both sides, in steps of a pixel's part. A base of
# which less shows than so much of its width is hidden, by the trunk, the card or leaves.
ASIDE, STEP_PX, MIN_BASE_SEEN = 1.8, 0.25, 0.6
# What else than the number of a tube a pixel may show: what lies in front of roots, and the rest.
SOIL, IN_FRONT = -1, -2
OWN_ENDS = (-1.0, 1.0)

Shown = npt.NDArray[np.int16]


def truth_of(scene: TracedScene, places: Array, shown: Shown) -> dict[str, Any]:
    """Marks and figures of a scene. places : (h, w, 3), mm, what each pixel shows. shown : (h, w),
    number of the tube it shows, IN_FRONT for trunk, card and leaves, else SOIL."""
    base, camera = scene.base, scene.camera
    ring = base.outline()
    area = 0.5 * abs(
        np.sum(ring[:, 0] * np.roll(ring[:, 1], -1) - ring[:, 1] * np.roll(ring[:, 0], -1))
    )
    diameter = float(2 * np.sqrt(area / np.pi))
    roots = [
        _root(scene, tube, number, diameter, places, shown)
        for number, tube in enumerate(base.tubes)
        if tube.parent < 0
    ]
    front = camera.see(np.array([[0.0, -1.5 * diameter, 0.0]]))[0]
    marks: dict[str, Any] = {
        "view": "top",
        "front": front.tolist(),
        "trunk": {
            "outline": _pixels(scene, np.column_stack([ring, np.zeros(len(ring))])[::4]),
            "height_mm": 0.0,
        },
        "roots": [root["marks"] for root in roots if root["figures"] is not None],
    }
    sheet = scene.sheet
    if sheet is not None:
        marks["calibration"] = {"kind": "card", "height_above_root_plane_mm": sheet.height_mm}
    return {
        "seed": scene.seed,
        "preset": scene.preset,
        "focal_35mm": camera.focal_35mm,
        "card_corners_px": None if sheet is None else camera.see(sheet.corners()).tolist(),
        "card_flat": sheet is not None
        and sheet.crease_mm == sheet.curl_mm == 0
        and sheet.tilt == (0.0, 0.0),
        "trunk_diameter_mm": diameter,
        "marks": marks,
        "roots": [root["figures"] for root in roots if root["figures"] is not None],
        # Hidden for more than half: they need not be found, and finding one is no mistake.
        "partly_seen": [
            root["marks"] for root in roots if root["figures"] is None and root["marks"] is not None
        ],
    }


def card_in_view(scene: TracedScene) -> bool:
    """Whether the whole card lies in the picture, as people lay it."""
    if scene.sheet is None:
        return False
    corners = scene.camera.see(scene.sheet.corners())
    last = np.array([scene.camera.width - 1, scene.camera.height - 1])
    return bool(((corners > 0) & (corners < last)).all())


def _root(
    scene: TracedScene, tube: Tube, number: int, diameter: float, places: Array, shown: Shown
) -> dict[str, Any]:
    base, label = scene.base, f"R{number}"
    crest = tube.crest
    away = np.hypot(*crest[:, :2].T)
    outline = base.radius_at(np.arctan2(crest[:, 1], crest[:, 0]))
    outside = np.flatnonzero(away > outline + BEYOND_TRUNKS * diameter)
    above = np.flatnonzero(crest[:, 2] > 0.2)
    if not len(outside) or not len(above) or above[-1] <= outside[0] + 3:
        return {"marks": None, "figures": None}
    start, end = int(outside[0]), int(above[-1])
    seen = _seen(scene, crest, places)
    run = np.arange(start, end + 1)
    share = float(seen[run].mean())
    bare = run[seen[run]]
    if len(bare) < 3:
        return {"marks": None, "figures": None}
    ahead = tube.middle[start + 1] - tube.middle[start - 1]
    across = np.array([ahead[1], -ahead[0]]) / np.hypot(*ahead[:2])
    # Half sunk, a root is seen as wide as it is where the soil meets it.
    deep = min(0.0, float(tube.middle[start, 2]))
    half = float(np.sqrt(max(0.05, tube.radius[start] ** 2 - deep**2)))
    level = max(0.0, float(tube.middle[start, 2]))
    flanks = [np.append(tube.middle[start, :2] + side * half * across, level) for side in (-1, 1)]
    own = scene.camera.see(np.array(flanks))
    base_seen = seen_base(own, shown, number)
    ends = np.array(base_seen.ends)[:, None]
    edges = own.mean(axis=0) + ends * (own[1] - own[0]) / 2
    kept = [*bare[::EVERY], bare[-1]] if bare[-1] not in bare[::EVERY] else list(bare[::EVERY])
    azimuth = float(np.degrees(np.arctan2(crest[start, 0], crest[start, 1])) % 360)
    return {
        "marks": {
            "label": label,
            "path": _pixels(scene, crest[kept]),
            "base_width": edges.tolist(),
        },
        "figures": None
        if share < MIN_SEEN
        else {
            "label": label,
            "kind": tube.kind,
            "azimuth_deg": azimuth,
            "base_width_mm": 2 * half * base_seen.width,
            "base_seen": not base_seen.hidden,
            # As far as it is seen: where moss or soil hides a tip, nobody can mark it.
            "reach_mm": float(np.hypot(*crest[bare, :2].T).max()),
            "seen": share,
        },
    }


@dataclass(frozen=True)
class SeenBase:
    """How a root's base is seen across, in halves of its tube's width from its middle.

    ends : left and right flank as they show; the tube's own, -1 and 1, where another root lies
    against it, and where the base is hidden.
    """

    ends: tuple[float, float] = OWN_ENDS
    hidden: bool = False

    @property
    def width(self) -> float:
        """Of the tube's own."""
        return (self.ends[1] - self.ends[0]) / 2


def seen_base(flanks: Array, shown: Shown, number: int) -> SeenBase:
    """How the base of a tube is seen whose own flanks lie at two places (2, 2), px.

    Bark lies on a tube, grains lie against it and trunk and roots run into it, so that a root is
    seen wider or narrower than its tube.
    """
    middle, ahead = flanks.mean(axis=0), (flanks[1] - flanks[0]) / 2
    half = float(np.hypot(*ahead))
    at = np.arange(-ASIDE * half, ASIDE * half + STEP_PX, STEP_PX)
    spots = np.round(middle + at[:, None] * ahead / half).astype(int)
    last = np.array(shown.shape[::-1]) - 1
    inside = ((spots >= 0) & (spots <= last)).all(axis=1)
    spots = np.clip(spots, 0, last)
    seen = np.where(inside, shown[spots[:, 1], spots[:, 0]], IN_FRONT)
    on = seen == number
    if not on.any():
        return SeenBase(hidden=True)
    # What is seen in one piece, about where the middle is or next to it.
    nearest = int(np.abs(np.where(on, at, np.inf)).argmin())
    off = np.flatnonzero(~on)
    left = int(off[off < nearest].max(initial=0))
    right = int(off[off > nearest].min(initial=len(on) - 1))
    ends = (at[left] + STEP_PX / 2) / half, (at[right] - STEP_PX / 2) / half
    beside = int(seen[left]), int(seen[right])
    if IN_FRONT in beside or (ends[1] - ends[0]) / 2 < MIN_BASE_SEEN:
        return SeenBase(hidden=True)
    first, second = (
        end if besides == SOIL else own
        for end, besides, own in zip(ends, beside, OWN_ENDS, strict=True)
    )
    return SeenBase((first, second))


def _seen(scene: TracedScene, crest: Array, places: Array) -> Any:
    """Which points of a crest (n, 3) the camera sees (n,)."""
    at = np.round(scene.camera.see(crest)).astype(int)
    height, width = places.shape[:2]
    inside = (at >= 0).all(axis=1) & (at[:, 0] < width) & (at[:, 1] < height)
    there = places[np.clip(at[:, 1], 0, height - 1), np.clip(at[:, 0], 0, width - 1)]
    seen = inside & (np.linalg.norm(there - crest, axis=1) < SEEN_WITHIN_MM)
    # Paper lies closer upon a root than its crest is told from what is seen.
    return seen if scene.sheet is None else seen & ~scene.sheet.covers(crest)


def _pixels(scene: TracedScene, points: Array) -> list[list[float]]:
    return [[float(x), float(y)] for x, y in scene.camera.see(points)]
