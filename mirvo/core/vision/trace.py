"""Following roots over the map of what is seen: least-cost paths back to the trunk.

Costs are low along a root's crest and high over soil, so a path keeps to its root even
where that curls. (Least-cost paths: Dijkstra 1959, as in scikit-image's MCP.)
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK, Map, Mask, PlanView
from mirvo.core.vision.root_model import SeenRoots, as_mask, see_roots
from mirvo.core.vision.width import width_along

FLOOR = 0.03
CREST_FROM, UNDER_TRUNK, STANDS = 0.3, 0.25, 0.4
SMOOTH_CELLS = 5.0
SPACING_CELLS = 6.0
# Of the outline's radius: where a root has left the flare, and its base is seen.
CLEAR_OF_FLARE = 1.22
TAKEN_COST = 12.0


@dataclass(frozen=True)
class Tracer:
    """What is worked out once for a photo, so that each trace after it is quick.

    root : (n, n), probability of a root, 1 in the trunk. ridge : (n, n), high along crests.
    ahead : (n, n, 2), outward along the root, cells x and y, shorter where that is unsure.
    standing : (n, n), what is seen there is the trunk, also where it leans over the roots.
    back : (n, n), the cell before each on its cheapest way from the trunk, -1 in the trunk.
    cost : (n, n), of that way. trunk : (n, n), cells of the trunk.
    """

    view: PlanView
    root: Map
    ridge: Map
    ahead: Map
    standing: Mask
    back: npt.NDArray[np.int64]
    cost: Array
    trunk: Mask

    def way(self, cell: tuple[int, int]) -> Array:
        """Cells (n, 2), x and y, from the trunk's edge to a cell."""
        side = self.back.shape[1]
        flat = cell[1] * side + cell[0]
        steps = [flat]
        before = self.back.ravel()
        while before[flat] >= 0:
            flat = int(before[flat])
            steps.append(flat)
        # Walked from the tip back, given from the trunk outward.
        y, x = np.divmod(np.array(steps[::-1]), side)
        return np.stack([x, y], axis=1).astype(float)

    def path(self, cell: tuple[int, int]) -> Array:
        """A smooth path (n, 2) in cells from the trunk's outline to a cell.

        Right by the trunk the flare hides where a root comes from; there the path runs
        straight back to the outline.
        """
        return self.followed(_smoothed(self.way(cell)))

    def followed(self, way: Array) -> Array:
        """A way (n, 2), cells, in even steps from the outline on, as paths are that were found."""
        return _from_the_outline(_even(way), self.view)


def tracer(view: PlanView, trunk_height_mm: float = 0.0) -> Tracer:
    """Set up tracing on one photo; the trunk's visible foot is where all ways begin."""
    trunk = view.shadowed(trunk_height_mm)
    seen = see_roots(view.colour, as_mask(view.trunk, view.known.shape), CELLS_PER_TRUNK)
    drawn = as_mask(view.trunk, view.known.shape) > 0
    root = np.where(drawn, 1.0, np.where(view.known, seen.root, 0.0)).astype(np.float32)
    ridge = _ridge(root, seen)
    cost, back = _walk(view, trunk, np.asarray(1.0 / (FLOOR + ridge), float))
    standing = np.asarray((seen.trunk > seen.root) & (seen.trunk > STANDS))
    return Tracer(view, root, ridge, seen.ahead, standing, back, cost, trunk)


def avoiding(traced: Tracer, taken: list[Array]) -> Tracer:
    """The same with other roots, paths (n, 2) in cells, made costly to run along.

    A crossing stays cheap, so a root that ends upon another is led back along its own bark.
    """
    import cv2

    mask = np.zeros(traced.root.shape, np.uint8)
    for path in taken:
        width = max(3, round(float(np.median(width_along(traced.root, path)))))
        cv2.polylines(mask, [np.round(path).astype(np.int32)], False, 1, width)
    costs = 1.0 / (FLOOR + traced.ridge)
    cost, back = _walk(traced.view, traced.trunk, np.where(mask > 0, costs + TAKEN_COST, costs))
    return replace(traced, back=back, cost=cost)


def _walk(view: PlanView, trunk: Mask, costs: Array) -> tuple[Array, npt.NDArray[np.int64]]:
    """Cost of the cheapest way to every cell, and the cell before it on that way."""
    import cv2  # heavy: only where a photo is really looked at
    from skimage.graph import MCP_Geometric

    # Only the rim of the trunk is a start; within it a way would cost nothing and run anywhere.
    core = cv2.erode(trunk.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    # A negative cost is a wall.
    costs = np.where(core | ~view.known, -1.0, costs)
    walk = MCP_Geometric(costs)
    cost, steps = walk.find_costs(np.argwhere(trunk & ~core & view.known))
    # The last one stands for cells nobody reached.
    offsets = np.array([*walk.offsets, (0, 0)])
    dy, dx = np.moveaxis(offsets[steps], 2, 0)
    y, x = np.indices(costs.shape)
    back = (y - dy) * costs.shape[1] + (x - dx)
    back[(steps < 0) | ((dy == 0) & (dx == 0))] = -1
    return np.asarray(cost), back


def _ridge(root: Map, seen: SeenRoots) -> Map:
    """Root weighed by how near its crest a cell lies; under a leaning trunk a way may lead on."""
    ridge = root * (CREST_FROM + (1.0 - CREST_FROM) * seen.crest)
    return np.asarray(np.maximum(ridge, UNDER_TRUNK * seen.trunk), np.float32)


def _smoothed(way: Array) -> Array:
    from scipy.ndimage import gaussian_filter1d

    if len(way) < 4:
        return way
    smooth = gaussian_filter1d(way, SMOOTH_CELLS, axis=0, mode="nearest")
    smooth[0], smooth[-1] = way[0], way[-1]
    return np.asarray(smooth)


def _even(way: Array) -> Array:
    """The path with a point every few cells."""
    steps = np.hypot(*np.diff(way, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    count = max(2, round(along[-1] / SPACING_CELLS) + 1)
    at = np.linspace(0, along[-1], count)
    return np.stack([np.interp(at, along, axis) for axis in way.T], axis=1)


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
