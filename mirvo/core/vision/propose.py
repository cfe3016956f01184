"""Proposing roots on a photo: the surest ways out from the trunk, one by one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely.geometry import LineString

from mirvo.core.measure import geometry
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.offers import ProposedRoot, pair, spots
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK, Map, PlanView
from mirvo.core.vision.trace import Tracer
from mirvo.core.vision.width import width_along

Cells = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
# Surer than this it speaks for a root, less sure against it.
NEUTRAL = 0.32
# What a root has to gather on its way to be worth showing; chosen on scenes not rendered for
# it.
MIN_GAIN = 18.0
MIN_CELLS = 16.0
# More than any base shows at once; a bound against endless soil.
MAX_ROOTS = 24
COVER_SHARE = 0.85
FLANK = 1.6
SIMPLE_CELLS = 0.7
SHARPNESS = 0.55
# A root may dip under soil for a short way and come up again.
SOIL, MAX_GAP = 0.12, 14
# What a way gathers that runs square to the root; looked at over so many steps.
ACROSS, STEPS_BACK = 0.35, 8
# A second path along a root found already is that root.
COVERED, MIN_OWN_SHARE = -0.02, 0.55
SURE, MIN_SURE_SHARE, MAX_LEAN_SHARE = 0.4, 0.5, 0.25
# The crest's height of the base's width, as path-traced scenes show it; widths looked at there.
BASE_CREST_SHARE, NEAR_BASE = 0.3, 4
# How far above the middle of what shows of a root its crest stands, of its width.
CREST_RISE = 0.25
CLEAR, CLEAR_SD_PX, DOUBTFUL_SD_PX = 0.95, 0.08, 2.0


@dataclass(frozen=True)
class Proposal:
    """A root Mirvo believes to see; pixels of the photo.

    points_sd_px : how far each point may lie off, see `point_sd_px`. confidence : 0 to 1.
    """

    path: Array
    base_width: Array
    points_sd_px: float
    confidence: float
    azimuth_deg: float

    def offered(self) -> ProposedRoot:
        """As it is offered to the artist and printed, to a tenth of a pixel."""
        return ProposedRoot(
            path=spots(self.path),
            base_width=pair(self.base_width),
            points_sd_px=round(self.points_sd_px, 1),
            confidence=round(self.confidence, 2),
            azimuth_deg=round(self.azimuth_deg, 1),
        )


def propose_roots(tracer: Tracer, front_mm: Array) -> list[Proposal]:
    """Candidates in the order of the clock.

    Parameters
    ----------
    front_mm : (2,), a point on the front side, on the plane of the photo.
    """
    gain_of = (tracer.root * _along_the_root(tracer) - NEUTRAL).astype(float)
    # Where the trunk stands before it nothing speaks for a root, nor against one.
    gain_of[tracer.trunk | tracer.standing] = 0.0
    order, back = _walk_order(tracer)
    found = []
    soil = (tracer.root < SOIL) & ~tracer.standing
    for _ in range(MAX_ROOTS):
        # The best way is taken, its ground covered, and the rest looked at anew.
        gains = _gains(order, back, gain_of, soil)
        tip = int(gains.argmax())
        if gains[tip] < MIN_GAIN:
            break
        y, x = divmod(tip, tracer.root.shape[1])
        way = tracer.way((x, y))
        path = tracer.path((x, y))
        widths = width_along(tracer.root, path)
        own = _own_share(gain_of, way)
        _cover(gain_of, way, widths)
        # What a root covers is not soil that another must leap.
        soil[gain_of == COVERED] = False
        long_enough = geometry.arc_lengths(path[None])[0, -1] >= MIN_CELLS
        if len(path) >= 3 and long_enough and own >= MIN_OWN_SHARE and _is_root(tracer, way):
            found.append(_proposal(tracer, path, widths, front_mm))
    return sorted(found, key=lambda root: root.azimuth_deg)


def _along_the_root(tracer: Tracer) -> Array:
    """How much the way to each cell runs as the root there does (n, n), `ACROSS` to 1.

    A rim or the edge of a board may look like a root, but no root runs along it from the trunk.
    """
    back = tracer.back.ravel()
    before = np.arange(back.size)
    for _ in range(STEPS_BACK):
        before = np.where(back[before] >= 0, back[before], before)
    side = tracer.back.shape[1]
    y, x = np.divmod(np.arange(back.size), side)
    old_y, old_x = np.divmod(before, side)
    step = np.stack([x - old_x, y - old_y], axis=1)
    length = np.maximum(np.hypot(*step.T), 1.0)
    agree = (step * tracer.ahead.reshape(-1, 2)).sum(axis=1) / length
    # Right by the trunk a way has no direction yet.
    agree = np.where(length < 2.0, 1.0, np.clip(agree, 0.0, 1.0))
    return np.asarray(ACROSS + (1.0 - ACROSS) * agree).reshape(tracer.root.shape)


def _walk_order(tracer: Tracer) -> tuple[Cells, Cells]:
    """Cells within reach by rising cost, so that each comes after the one before it."""
    cost = tracer.cost.ravel()
    reached = np.flatnonzero(np.isfinite(cost) & _worth_walking(tracer).ravel())
    # Cheapest first, so that the cell before is always summed already.
    order = reached[np.argsort(cost[reached], kind="stable")]
    return order, tracer.back.ravel()


def _worth_walking(tracer: Tracer) -> Flags:
    """Cells near enough to a root that a way to one may lead over them."""
    import cv2

    near = (tracer.root > SOIL) | tracer.standing | tracer.trunk
    leap = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * MAX_GAP + 1, 2 * MAX_GAP + 1))
    return np.asarray(cv2.dilate(near.astype(np.uint8), leap) > 0)


def _gains(order: Cells, back: Cells, gain_of: Array, soil: Flags) -> Array:
    """Evidence for a root summed along the way to each cell; a way ends at a stretch of soil."""
    gains = np.full(gain_of.size, -np.inf)
    # Plain lists: a loop over single numpy values is many times slower.
    values, bare = gain_of.ravel().tolist(), soil.ravel().tolist()
    summed: dict[int, float] = {}
    gaps: dict[int, int] = {}
    for cell, before in zip(order.tolist(), back[order].tolist(), strict=True):
        if before >= 0 and before not in summed:
            continue
        gap = gaps.get(before, 0) + 1 if bare[cell] else 0
        if gap > MAX_GAP:
            continue
        # A way that has lost more than it gathered begins anew; the trunk is near everywhere.
        summed[cell] = max(summed.get(before, 0.0), 0.0) + values[cell]
        gaps[cell] = gap
    if summed:
        gains[np.fromiter(summed, int)] = np.fromiter(summed.values(), float)
    return gains


def _own_share(gain_of: Array, way: Array) -> float:
    """Share of a way that no root found before it explains."""
    x, y = way.astype(int).T
    return float((gain_of[y, x] != COVERED).mean())


def _is_root(tracer: Tracer, way: Array) -> bool:
    """Whether most of a way shows root, and little of it the trunk that leans over it."""
    x, y = way.astype(int).T
    shows = tracer.root[y, x] > SURE
    leans = tracer.standing[y, x] & ~tracer.trunk[y, x]
    return float(shows.mean()) >= MIN_SURE_SHARE and float(leans.mean()) <= MAX_LEAN_SHARE


def _cover(gain_of: Array, way: Array, widths: Array) -> None:
    """What one root explains speaks for no other."""
    import cv2  # heavy: only where a photo is really looked at

    mask = np.zeros(gain_of.shape, np.uint8)
    half = COVER_SHARE * np.interp(
        np.linspace(0, 1, len(way)), np.linspace(0, 1, len(widths)), widths
    )
    for (x, y), reach in zip(way.astype(int), half, strict=True):
        cv2.circle(mask, (int(x), int(y)), max(3, int(reach)), 1, -1)
    gain_of[mask > 0] = COVERED


def _proposal(tracer: Tracer, path: Array, widths: Array, front_mm: Array) -> Proposal:
    """A proposal from a path along the crest as it is seen on the flat view."""
    view = tracer.view
    # The crest stands up from the plane; its foot lies nearer to the camera's.
    height = BASE_CREST_SHARE * base_width_of(widths) * view.cell_mm
    foot = view.plane.to_plane(view.photo(path[1:2])[None], height)[0]
    away = geometry.direction_deg(foot - view.centre_mm)
    north = geometry.direction_deg((front_mm - view.centre_mm)[None]) + 180.0
    confidence = how_sure(tracer.root, path, widths)
    base_width = view.photo(across_base(path, widths))
    return Proposal(
        path=crest_seen(view, path, widths),
        base_width=base_width,
        points_sd_px=point_sd_px(base_width, confidence),
        confidence=confidence,
        azimuth_deg=float((away - north)[0] % 360.0),
    )


def crest_seen(view: PlanView, path: Array, widths: Array) -> Array:
    """Pixels (m, 2) of a path along the crest, with no more points than its shape needs.

    widths : at each point of the path, in cells. Aslant the model sees the middle of what shows
    of a root, and its crest stands a little farther from the camera.
    """
    away = path - view.foot
    rise = CREST_RISE * widths / max(view.camera_mm / view.cell_mm, 1.0)
    raised = path + away * rise[:, None]
    return view.photo(np.array(LineString(raised).simplify(SIMPLE_CELLS).coords))


def base_width_of(widths: Array) -> float:
    """Width of a root's base, of its widths along the path: the least near it, since between
    the flare and its neighbours a root seems wider than it is."""
    return float(widths[:NEAR_BASE].min())


def across_base(path: Array, widths: Array) -> Array:
    """Two points (2, 2), cells, across the base of a path, its width apart."""
    direction = path[min(2, len(path) - 1)] - path[0]
    # Across the root's own direction where it leaves the flare.
    half = np.array([direction[1], -direction[0]]) / np.hypot(*direction)
    half = half * base_width_of(widths) / 2
    return np.stack([path[1] - half, path[1] + half])


def point_sd_px(base_width: Array, confidence: float) -> float:
    """Standard deviation, px, of each point of a root found in the picture.

    It goes with the root's width, and grows where bark and soil are hard to tell apart; the
    shares are those that made the ± hold the truth in simulated scenes (see docs/accuracy.md).
    """
    wide = float(np.hypot(*(base_width[1] - base_width[0])))
    return wide * (CLEAR_SD_PX + DOUBTFUL_SD_PX * max(0.0, CLEAR - confidence))


def how_sure(root: Map, path: Array, widths: Array) -> float:
    """0 to 1, from how surely a path shows root, how clearly its flanks are not, and its length."""
    from mirvo.core.vision.edges import profiles

    across = geometry.normals(path)
    inside = profiles(root, path, across, np.array([0.0]))[:, 0]
    flanks = [
        profiles(
            root, path + side * FLANK * (widths / 2 + 2)[:, None] * across, across, np.zeros(1)
        )
        for side in (-1, 1)
    ]
    clear = np.maximum(inside[:, None] - np.concatenate(flanks, axis=1), 0).mean()
    length = geometry.arc_lengths(path[None])[0, -1] / CELLS_PER_TRUNK
    # Root in the middle, soil beside it, and a length that is no speck: each weighed by eye on
    # many photos, then flattened to what held true.
    score = 4.0 * (inside.mean() - 0.5) + 4.0 * (clear - 0.35) + 2.5 * (min(length, 1.0) - 0.35)
    return float(1 / (1 + np.exp(-SHARPNESS * score)))
