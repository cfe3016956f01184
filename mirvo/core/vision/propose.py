"""Proposing roots on a photo: the surest ways out from the trunk, one by one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely.geometry import LineString

from mirvo.core.measure import geometry
from mirvo.core.measure.roots import FLANK_SHARE
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.offers import ProposedRoot, pair, spots
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK, Map, PlanView
from mirvo.core.vision.trace import MAX_GAP, SOIL, Tracer, avoiding, beyond_outline, covered_by
from mirvo.core.vision.ways import HEADINGS, InOrder
from mirvo.core.vision.width import base_width, width_along

Cells = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
# Surer than this it speaks for a root, less sure against it.
NEUTRAL = 0.32
# What a root has to gather on its way to be worth showing; chosen on scenes not rendered for
# it.
MIN_GAIN = 18.0
MIN_CELLS = 16.0
FARTHER_THAN_ANY = 1e9
# More than any base shows at once; a bound against endless soil.
MAX_ROOTS = 24
# After so many ways in a row that are none the rest is none either: on 52 scenes of three renderers
# a root came after four at most.
MOST_IN_VAIN = 6
COVER_SHARE = 0.7
FLANK = 1.6
SIMPLE_CELLS = 0.7
SHARPNESS = 0.55
# What a way gathers that runs square to the root.
ACROSS = 0.35
# A second path along a root found already is that root; one that comes out from under it is not.
MIN_OWN_SHARE = 0.4
# One with less than this of its own near the trunk, within so many radii of the outline, is a fork
# of another.
NEAR_TRUNK, MIN_OWN_BASE = 2.5, 0.2
# What a cell gives that shows nothing of a root since another root, the trunk or the card lies over
# it: a little less than nothing, so that a way which comes out nowhere ends where it was last seen.
UNSEEN = -0.02
LOOKS = 2
SURE, MIN_SURE_SHARE, MAX_LEAN_SHARE = 0.4, 0.5, 0.25
# Hidden for more than so much of its way, a root begins where it is seen; hidden for more than it
# may lean, it is believed to be one when so many cells of it show.
HIDDEN_SHARE, SHOWN_BEHIND = 0.12, 90.0
# Points of its path before it is hidden, six cells apart; with more of them it was seen first.
SEEN_FIRST = 3
# The crest's height of the base's width, as path-traced scenes show it.
BASE_CREST_SHARE = 0.3
# How far above the middle of what shows of a root its crest stands, of its width.
CREST_RISE = 0.25
CLEAR, CLEAR_SD_PX, DOUBTFUL_SD_PX = 0.95, 0.14, 2.0
# How far a base may lie to one side, of how far each point strays: where root is seen all the way
# out of the flare, and where trunk, card or leaves hide it there. The way is looked at from so
# many radii on to so many, and root seen as surely as that. From scenes of three renderers.
BASE_SEEN, BASE_HIDDEN = 0.4, 2.6
BASE_STARTS, BASE_ENDS, SHOWS = 1.1, 1.6, 0.7
# How far a root's end may lie off along its way, of its length: a tip goes into the soil slowly.
# From scenes of three renderers.
TIP_SD_SHARE = 0.13


@dataclass(frozen=True)
class Proposal:
    """A root Mirvo believes to see; pixels of the photo.

    points_sd_px : how far each point may lie off, see `point_sd_px`. base_sd_px : how far both
    points across its base may, together. tip_sd_px : how far its end may, along its way.
    confidence : 0 to 1.
    """

    path: Array
    base_width: Array
    points_sd_px: float
    base_sd_px: float
    tip_sd_px: float
    confidence: float
    azimuth_deg: float

    def offered(self) -> ProposedRoot:
        """As it is offered to the artist and printed, to a tenth of a pixel."""
        return ProposedRoot(
            path=spots(self.path),
            base_width=pair(self.base_width),
            points_sd_px=round(self.points_sd_px, 1),
            base_sd_px=round(self.base_sd_px, 1),
            tip_sd_px=round(self.tip_sd_px, 1),
            confidence=round(self.confidence, 2),
            azimuth_deg=round(self.azimuth_deg, 1),
        )


def propose_roots(tracer: Tracer, front_mm: Array) -> list[Proposal]:
    """Candidates in the order of the clock.

    Parameters
    ----------
    front_mm : (2,), a point on the front side, on the plane of the photo.
    """
    found: list[_Found] = []
    for _ in range(LOOKS):
        # Looked at again with what was found costly to run along, the rest shows under it.
        taken = _taken(tracer, found)
        new = _find(avoiding(tracer, taken) if found else tracer, taken)
        found += new
        if not new:
            break
    proposals = [_proposal(tracer, one, front_mm) for one in found]
    return sorted(proposals, key=lambda root: root.azimuth_deg)


@dataclass(frozen=True)
class _Found:
    """A root's path (n, 2), cells, and its width at each of its points, cells."""

    path: Array
    widths: Array


def _taken(tracer: Tracer, found: list[_Found]) -> Flags:
    return covered_by(tracer, [one.path for one in found], COVER_SHARE)


def _find(tracer: Tracer, taken: Flags) -> list[_Found]:
    """Roots besides those whose ground (n, n) is taken already, the surest first."""
    ways = tracer.ways
    root, standing = ways.at(tracer.root), ways.at(tracer.standing) > 0.5
    # A rim or the edge of a board may look like a root, but no root runs along it from the trunk.
    along = ACROSS + (1.0 - ACROSS) * np.clip(np.cos(ways.astray), 0.0, 1.0)
    gain_of = root[:, None] * along - NEUTRAL
    hidden = standing | (ways.at(tracer.view.under_card) > 0.5)
    gain_of[hidden | (ways.at(tracer.trunk) > 0.5)] = UNSEEN
    soil = (root < SOIL) & ~hidden
    covered = ways.at(taken) > 0.5
    orderly = ways.in_order()
    found: list[_Found] = []
    in_vain = 0
    while len(found) < MAX_ROOTS and in_vain < MOST_IN_VAIN:
        # The best way is taken, its ground covered, and the rest looked at anew.
        gain_of[covered] = UNSEEN
        # What a root covers is not soil that another must leap.
        gains = _gains(orderly, gain_of, soil & ~covered)
        best = int(gains.argmax())
        if gains[best] < MIN_GAIN:
            break
        tip = int(orderly.nodes[best])
        places = ways.nodes_to(tip) // HEADINGS
        own = float(1.0 - covered[places].mean())
        own_base = _own_base(tracer, ways.places[places], covered[places])
        path = _as_seen(tracer, tracer.smooth(ways.along(tip)))
        covered[places] = True
        if len(path):
            covered |= ways.at(covered_by(tracer, [path], COVER_SHARE)) > 0.5
        long_enough = len(path) >= 3 and geometry.arc_lengths(path[None])[0, -1] >= MIN_CELLS
        enough_own = own >= MIN_OWN_SHARE and own_base >= MIN_OWN_BASE
        if long_enough and enough_own and _is_root(tracer, path):
            found.append(_Found(path, width_along(tracer.root, path)))
            in_vain = 0
        else:
            in_vain += 1
    return found


def _gains(orderly: InOrder, gain_of: Array, soil: Flags) -> Array:
    """Evidence for a root summed along the way to each of the nodes (k,) in their order.

    A way ends at a stretch of soil: beyond it nothing is gathered.
    """
    values = gain_of.ravel()[orderly.nodes] * orderly.lengths
    # Root sets what was leapt to nothing, and nothing brings back a way that has ended.
    leap = np.where(soil[orderly.places], orderly.lengths, -FARTHER_THAN_ANY)
    # At the rim nothing is gathered yet, and no soil leapt.
    gains, so_far, gaps = np.zeros((3, len(values)))
    for low, high in orderly.steps:
        before = orderly.before[low:high]
        gains[low:high] = so_far[before] + values[low:high]
        # A way that has lost more than it gathered begins anew; the trunk is near everywhere.
        np.maximum(gains[low:high], 0.0, out=so_far[low:high])
        gap = np.maximum(gaps[before] + leap[low:high], 0.0)
        gaps[low:high] = np.where(gap > MAX_GAP, np.inf, gap)
    return np.where(np.isinf(gaps), -np.inf, gains)


def _as_seen(tracer: Tracer, path: Array) -> Array:
    """A path (n, 2) from where its root comes out from behind a trunk that stands before it; none
    where too little of it shows to say that it comes from there."""
    behind = _at(tracer.standing & ~tracer.trunk, path)
    hidden = np.flatnonzero(behind)
    # One seen first and hidden farther out, where it passes behind, is left whole.
    if behind.mean() <= HIDDEN_SHARE or hidden[0] > SEEN_FIRST:
        return path
    shown = path[int(hidden[-1]) + 1 :]
    needed = SHOWN_BEHIND if behind.mean() > MAX_LEAN_SHARE else MIN_CELLS
    long_enough = len(shown) > 1 and geometry.arc_lengths(shown[None])[0, -1] >= needed
    return shown if long_enough else path[:0]


def _own_base(tracer: Tracer, way: Array, covered: Flags) -> float:
    """Share of a way's squares (n, 2), cells, near the trunk that no other root covers."""
    away = beyond_outline(tracer.view, way)
    base = covered[(away >= 1.0) & (away < NEAR_TRUNK)]
    return float(1.0 - base.mean()) if len(base) else 1.0


def _is_root(tracer: Tracer, path: Array) -> bool:
    """Whether what the card leaves of a path shows root for the most part, and little of it the
    trunk that leans over it."""
    fine = geometry.dense(path, 1.0)
    shows = (_at(tracer.root, fine) > SURE)[_at(tracer.view.under_card, fine) < 1]
    leans = _at(tracer.standing & ~tracer.trunk, fine)
    enough = len(shows) > 0 and float(shows.mean()) >= MIN_SURE_SHARE
    return enough and float(leans.mean()) <= MAX_LEAN_SHARE


def _at(image: Map | Flags, points: Array) -> Array:
    """What an image (n, n) of cells shows at points (k, 2); flags as 0 and 1."""
    x, y = np.clip(np.round(points), 0, image.shape[0] - 1).astype(int).T
    return np.asarray(image[y, x], float)


def _proposal(tracer: Tracer, found: _Found, front_mm: Array) -> Proposal:
    """A proposal from a path along the crest as it is seen on the flat view."""
    view, path, widths = tracer.view, found.path, found.widths
    wide = base_width(tracer.root, path, widths)
    foot = view.mm(base_foot(view, path, wide)[None])
    away = geometry.direction_deg(foot - view.centre_mm)
    north = geometry.direction_deg((front_mm - view.centre_mm)[None]) + 180.0
    confidence = how_sure(tracer.root, path, widths)
    edges = base_edges(view, path, wide)
    points_sd_px = point_sd_px(edges, confidence)
    crest = crest_seen(view, path, widths)
    return Proposal(
        path=crest,
        base_width=edges,
        points_sd_px=points_sd_px,
        base_sd_px=base_strays(tracer, path) * points_sd_px,
        tip_sd_px=TIP_SD_SHARE * float(geometry.arc_lengths(crest[None])[0, -1]),
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


def base_foot(view: PlanView, path: Array, wide: float) -> Array:
    """Where a root's base stands on the plane (2,), cells: its crest stands up from there, and is
    seen farther from the camera."""
    crest = view.photo(path[1:2])[None]
    height = BASE_CREST_SHARE * wide * view.cell_mm
    return np.asarray(view.cells(view.plane.to_plane(crest, height)[0])[0])


def base_edges(view: PlanView, path: Array, wide: float) -> Array:
    """Two points (2, 2), px, across the base of a path (n, 2), cells, its width (cells) apart.

    They lie as high as measuring takes flanks to stand, so that what is measured of a root that
    was taken up is what was proposed.
    """
    direction = path[min(2, len(path) - 1)] - path[0]
    # Across the root's own direction where it leaves the flare.
    half = np.array([direction[1], -direction[0]]) / np.hypot(*direction) * wide / 2
    foot = base_foot(view, path, wide)
    return view.photo(np.stack([foot - half, foot + half]), FLANK_SHARE * wide * view.cell_mm)


def point_sd_px(base_width: Array, confidence: float) -> float:
    """Standard deviation, px, of each point of a root found in the picture.

    It goes with the root's width, and grows where bark and soil are hard to tell apart; the
    shares are those that made the ± hold the truth in simulated scenes (see docs/accuracy.md).
    """
    wide = float(np.hypot(*(base_width[1] - base_width[0])))
    return wide * (CLEAR_SD_PX + DOUBTFUL_SD_PX * max(0.0, CLEAR - confidence))


def base_strays(tracer: Tracer, path: Array) -> float:
    """How far a base may lie to one side, of how far each point strays.

    Where something hides a root (n, 2), cells, on its way out of the flare, it is the way that
    was guessed there which says where it comes from.
    """
    fine = geometry.dense(path, 1.0)
    away = beyond_outline(tracer.view, fine)
    base = fine[(away >= BASE_STARTS) & (away < BASE_ENDS)]
    shown = float(_at(tracer.root, base).min()) / SHOWS if len(base) else 0.0
    return BASE_HIDDEN + (BASE_SEEN - BASE_HIDDEN) * min(shown, 1.0)


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
