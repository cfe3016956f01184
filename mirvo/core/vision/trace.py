"""Following roots over the map of what is seen: least-cost ways back to the trunk.

Costs are low along a root's crest and high over soil, so a path keeps to its root even
where that curls; how ways pass what crosses them is told in `ways`.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from mirvo.core.measure import geometry
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import profiles
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK, Map, Mask, PlanView
from mirvo.core.vision.root_model import SeenRoots, as_mask, see_roots
from mirvo.core.vision.ways import Ways, find_ways
from mirvo.core.vision.width import width_along

CREST_FROM, UNDER_COVER, STANDS = 0.3, 0.25, 0.4
SMOOTH_CELLS = 5.0
SPACING_CELLS = 6.0
# Less sure than this it is soil. A root may dip under it for a short way and come up again.
SOIL, MAX_GAP = 0.12, 14
# How far from what is seen of a root a way may lead under the card, cells.
MAX_GAP_UNDER_CARD = CELLS_PER_TRUNK // 2
# Of the outline's radius: where a root has left the flare, and its base is seen.
CLEAR_OF_FLARE = 1.22
# How far across a path its crest is looked for, of the root's width and at least, cells.
ASIDE, LEAST_ASIDE, STEP = 0.6, 3.0, 1.0
# What is moved is looked at again from its new place.
ROUNDS, SMOOTHED_FROM = 2, 4
# What a cell that another root covers costs more: running along it is dear, crossing it is not.
TAKEN_COST = 1.5


@dataclass(frozen=True)
class Tracer:
    """What is worked out once for a photo, so that each trace after it is quick.

    root : (n, n), probability of a root, 1 in the trunk. ridge : (n, n), high along crests.
    ahead : (n, n, 2), outward along the root, cells x and y, shorter where that is unsure.
    standing : (n, n), what is seen there is the trunk, also where it leans over the roots.
    trunk : (n, n), cells of the trunk. ways : the cheapest ways out from it.
    """

    view: PlanView
    root: Map
    ridge: Map
    ahead: Map
    standing: Mask
    trunk: Mask
    ways: Ways

    def path(self, cell: tuple[int, int]) -> Array:
        """A smooth path (n, 2) in cells from the trunk's outline to a cell that ways reach."""
        return self.smooth(self.ways.to(cell))

    def smooth(self, way: Array) -> Array:
        """A way (n, 2), cells, as a smooth path along the crest, from the trunk's outline on.

        Right by the trunk the flare hides where a root comes from; there the path runs
        straight back to the outline.
        """
        path = geometry.dense(_smoothed(way), SPACING_CELLS)
        return _from_the_outline(on_the_crest(self.ridge, path, self.root), self.view)

    def followed(self, way: Array) -> Array:
        """A way (n, 2), cells, in even steps from the outline on, as paths are that were found."""
        return _from_the_outline(geometry.dense(way, SPACING_CELLS), self.view)


def tracer(view: PlanView, trunk_height_mm: float = 0.0) -> Tracer:
    """Set up tracing on one photo; the trunk's visible foot is where all ways begin."""
    trunk = view.shadowed(trunk_height_mm)
    seen = see_roots(view.colour, as_mask(view.trunk, view.known.shape), CELLS_PER_TRUNK)
    drawn = as_mask(view.trunk, view.known.shape) > 0
    root = np.where(drawn, 1.0, np.where(view.known, seen.root, 0.0)).astype(np.float32)
    ridge = _ridge(root, seen, view.under_card)
    standing = np.asarray((seen.trunk > seen.root) & (seen.trunk > STANDS))
    open_to = _open_to(view, root, standing | trunk)
    ways = find_ways(ridge, seen.ahead, trunk, open_to, np.zeros(root.shape))
    return Tracer(view, root, ridge, seen.ahead, standing, trunk, ways)


def avoiding(traced: Tracer, taken: Mask) -> Tracer:
    """The same with what other roots cover (n, n) costly to run along, and cheap to cross."""
    open_to = _open_to(traced.view, traced.root, traced.standing | traced.trunk)
    dearer = np.where(taken, TAKEN_COST, 0.0)
    ways = find_ways(traced.ridge, traced.ahead, traced.trunk, open_to, dearer)
    return replace(traced, ways=ways)


def reaching(traced: Tracer, cell: tuple[int, int]) -> Tracer:
    """The same with the ground between the trunk and a cell open to ways, root or not."""
    import cv2

    open_to = _open_to(traced.view, traced.root, traced.standing | traced.trunk)
    lane = np.zeros(traced.root.shape, np.uint8)
    middle = np.round(traced.view.trunk.mean(axis=0)).astype(int)
    cv2.line(lane, (int(middle[0]), int(middle[1])), cell, 1, CELLS_PER_TRUNK)
    open_to = open_to | ((lane > 0) & traced.view.known)
    ways = find_ways(traced.ridge, traced.ahead, traced.trunk, open_to, np.zeros(traced.root.shape))
    return replace(traced, ways=ways)


def covered_by(traced: Tracer, paths: list[Array], share: float = 0.5) -> Mask:
    """Cells (n, n) within so much of a root's width of any of its paths (k, 2), cells."""
    import cv2

    mask = np.zeros(traced.root.shape, np.uint8)
    for path in paths:
        widths = width_along(traced.root, path)
        line = geometry.dense(path, 1.0)
        at = np.linspace(0, len(path) - 1, len(line))
        reach = np.maximum(3, share * np.interp(at, np.arange(len(path)), widths))
        for (x, y), radius in zip(np.round(line).astype(int), reach, strict=True):
            cv2.circle(mask, (int(x), int(y)), int(radius), 1, -1)
    return mask > 0


def _open_to(view: PlanView, root: Map, standing: Mask) -> Mask:
    """Cells (n, n) a way may lead over: near a root, and farther where the ground is covered."""
    import cv2  # heavy: only where a photo is really looked at

    bare = ~((root > SOIL) | standing)
    away = cv2.distanceTransform(bare.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    beneath = view.under_card & (away <= MAX_GAP_UNDER_CARD)
    return np.asarray((view.known & (away <= MAX_GAP)) | beneath)


def _ridge(root: Map, seen: SeenRoots, under_card: Mask) -> Map:
    """Root weighed by how near its crest a cell lies; under a leaning trunk and under the card a
    way may lead on."""
    ridge = root * (CREST_FROM + (1.0 - CREST_FROM) * seen.crest)
    over = np.where(under_card, 1.0, seen.trunk)
    return np.asarray(np.maximum(ridge, UNDER_COVER * over), np.float32)


def _smoothed(way: Array) -> Array:
    from scipy.ndimage import gaussian_filter1d

    if len(way) < SMOOTHED_FROM:
        return way
    fine = geometry.dense(way, 1.0)
    smooth = gaussian_filter1d(fine, SMOOTH_CELLS, axis=0, mode="nearest")
    smooth[0], smooth[-1] = way[0], way[-1]
    return np.asarray(smooth)


def _from_the_outline(path: Array, view: PlanView) -> Array:
    """The path from a little beyond the outline on, and straight back to it from there.

    Nearer to the trunk the flare hides where a root comes from, and the cheapest way cuts across.
    """
    clear = np.flatnonzero(beyond_outline(view, path) >= CLEAR_OF_FLARE)
    if not len(clear) or clear[0] > len(path) - 2:
        return path
    rest = path[clear[0] :]
    centre = view.cells(view.centre_mm[None])[0]
    start = centre + (rest[0] - centre) / float(beyond_outline(view, rest[:1])[0])
    return np.concatenate([start[None], rest])


def on_the_crest(ridge: Map, path: Array, root: Map) -> Array:
    """A path (n, 2), cells, moved across itself to the middle of the ridge it runs along.

    Ways lead over squares and are smoothed, which takes them off the crest in bends by some
    tenths of a root's width. Its tip stays where it was sought.
    """
    for _ in range(ROUNDS if len(path) >= SMOOTHED_FROM else 0):
        path = path + _aside(ridge, path, root)
    return path


def _aside(ridge: Map, path: Array, root: Map) -> Array:
    """How far each point of a path (n, 2) lies from its crest, across the path (n, 2), cells."""
    across = geometry.normals(path)
    reach = np.maximum(ASIDE * width_along(root, path), LEAST_ASIDE)[:, None]
    # As far to the one side as to the other, so that neither draws the middle to it.
    steps = np.ceil(reach.max() / STEP)
    at = np.arange(-steps, steps + 1) * STEP
    seen = np.where(np.abs(at) <= reach, profiles(ridge, path, across, at), 0.0)
    # Where nothing is seen of the root, as under moss, the way is kept.
    sure = np.clip(seen.sum(axis=1) * STEP / reach[:, 0], 0.0, 1.0)
    off = sure * (seen * at).sum(axis=1) / np.maximum(seen.sum(axis=1), 1e-9)
    moved = off[:, None] * across
    # The bark's own bumps are no bends.
    moved[1:-1] = (moved[:-2] + 2.0 * moved[1:-1] + moved[2:]) / 4.0
    moved[-1] = 0.0
    return np.asarray(moved)


def beyond_outline(view: PlanView, cells: Array) -> Array:
    """How far out cells (n, 2) lie, 1 on the trunk's outline, 0 in its middle."""
    centre = view.cells(view.centre_mm[None])[0]
    rim, away = view.trunk - centre, cells - centre
    turn = np.arctan2(rim[:, 1], rim[:, 0])
    order = np.argsort(turn)
    radius = np.interp(
        np.arctan2(away[:, 1], away[:, 0]), turn[order], np.hypot(*rim[order].T), period=2 * np.pi
    )
    return np.asarray(np.hypot(*away.T) / np.maximum(radius, 1e-9))
