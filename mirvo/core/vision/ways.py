"""Ways out from the trunk over the map of what is seen, sought with their heading.

Where two roots cross, the shortest way may change from one to the other. Here a way knows which
way it runs: it turns freely while it follows its root, and dearly where it leaves it, so that it
goes straight over or under what crosses it. (Least-cost paths: Dijkstra 1959, run by scipy over
places and headings.)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.plan_view import Map, Mask

Numbers = npt.NDArray[np.int64]
# Squares of so many cells: a thin root is still a few of them wide.
SQUARE = 2
# Sixteen headings, as steps from a square to another, x and y.
HALF_ROUND = np.array([(1, 0), (2, 1), (1, 1), (1, 2), (0, 1), (-1, 2), (-1, 1), (-2, 1)])
STEPS = np.concatenate([HALF_ROUND, -HALF_ROUND])
HEADINGS = len(STEPS)
HEADING_RAD = np.arctan2(STEPS[:, 1], STEPS[:, 0])
STEP_CELLS = SQUARE * np.hypot(*STEPS.T)
# A cell on a root's crest costs a little, one of bare soil 33: the long way round along a root
# is cheaper than a short one that leaves it.
FLOOR, EASE, LEAST = 0.03, 0.7, 0.05
# What turning by one heading costs, of a cell on a crest, where the root does not turn: nothing
# up to the first angle from the root's own heading, all of it from the second on.
TURN_COST, ON_ITS_ROOT, OFF_IT = 40.0, 0.35, 0.8
# The share of it where no root says which way it heads.
TURN_UNSURE = 0.3
# Ways leave the trunk outward, give or take.
LEAVES_WITHIN = 1.2
NOWHERE = -1
# Of a way's first step; scipy takes an edge of nothing for none.
LEAST_PRICE = 1e-3


@dataclass(frozen=True)
class Ways:
    """The cheapest ways from the trunk's rim to every place and heading.

    places : (n, 2), cells x and y, middles of squares. square : (m, m), number of the place there,
    -1 where none is. before, cost : (n * 16,), of the node `place * 16 + heading`: the node before
    it, -1 at the rim and where no way leads, and what the way costs. astray : (n, 16), rad, angle
    between a heading and the root's own there.
    """

    places: Array
    square: Numbers
    before: Numbers
    cost: Array
    astray: Array

    def reach(self, cell: tuple[int, int]) -> bool:
        """Whether a way leads to a cell, x and y."""
        return bool(np.isfinite(self.cost[self.nodes_at(cell)]).any())

    def to(self, cell: tuple[int, int]) -> Array:
        """Cells (k, 2), x and y, of the cheapest way from the trunk's rim to a cell."""
        nodes = self.nodes_at(cell)
        node = int(nodes[self.cost[nodes].argmin()])
        return np.concatenate([self.along(node)[:-1], np.array([cell], float)])

    def nodes_at(self, cell: tuple[int, int]) -> Numbers:
        """The sixteen nodes of a cell, x and y; none where no way may lead."""
        last = self.square.shape[0] - 1
        place = int(self.square[min(cell[1] // SQUARE, last), min(cell[0] // SQUARE, last)])
        return place * HEADINGS + np.arange(HEADINGS if place >= 0 else 0)

    def nodes_to(self, node: int) -> Numbers:
        """Nodes of the way to a node, from the rim on."""
        way = [node]
        while self.before[way[-1]] >= 0:
            way.append(int(self.before[way[-1]]))
        return np.array(way[::-1])

    def along(self, node: int) -> Array:
        """Cells (k, 2), x and y, of the way to a node."""
        return np.asarray(self.places[self.nodes_to(node) // HEADINGS])

    def at(self, image: npt.NDArray[np.generic]) -> Array:
        """What an image (side, side) of cells shows at each place (n,), mean of the square."""
        return np.asarray(_in_squares(image)[self.square >= 0])

    def in_order(self) -> InOrder:
        """The nodes that ways lead to, by how many steps they lie from the rim."""
        depth = np.where(self.before >= 0, 1, 0)
        # Each node looks twice as far back each time, to a last one that stands for the rim.
        rim = len(self.before)
        above = np.append(np.where(self.before >= 0, self.before, rim), rim)
        depth = np.append(depth, 0)
        while (above != rim).any():
            depth, above = depth + depth[above], above[above]
        depth = depth[:-1]
        starts = np.zeros(rim, bool)
        starts[self.before[self.before >= 0]] = True
        led_to = np.flatnonzero((depth > 0) | starts)
        # Sorted as short numbers, which takes a tenth of the time.
        short = depth[led_to].astype(np.min_scalar_type(int(depth.max(initial=0))))
        nodes = led_to[np.argsort(short, kind="stable")]
        place = np.full(rim + 1, NOWHERE)
        place[nodes] = np.arange(len(nodes))
        cuts = np.searchsorted(depth[nodes], np.arange(1, int(depth.max(initial=0)) + 2))
        return InOrder(
            nodes=nodes,
            places=nodes // HEADINGS,
            lengths=STEP_CELLS[nodes % HEADINGS],
            before=place[self.before[nodes]],
            steps=list(zip(cuts[:-1], cuts[1:], strict=True)),
        )


@dataclass(frozen=True)
class InOrder:
    """Nodes so that each comes after the one before it on its way.

    nodes, places : (k,). lengths : (k,), of a step to each, cells. before : (k,), where in them the
    node before each stands, -1 for those at the rim, which come first. steps : from where to where
    in them the nodes stand that lie one step from the rim, two, and so on.
    """

    nodes: Numbers
    places: Numbers
    lengths: Array
    before: Numbers
    steps: list[tuple[int, int]]


def find_ways(ridge: Map, ahead: Map, trunk: Mask, open_to: Mask, dearer: Array) -> Ways:
    """The cheapest ways over a map of (side, side) cells.

    Parameters
    ----------
    ridge : 0 to 1, high along crests. ahead : (side, side, 2), outward along the root, at most of
    length 1, shorter where that is unsure. trunk : where ways begin, at its rim. open_to : where
    ways may lead. dearer : cost added to each cell.
    """
    import cv2  # heavy: only where a photo is really looked at
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    cost = np.maximum(1.0 / (FLOOR + _in_squares(ridge)) - EASE, LEAST) + _in_squares(dearer)
    stem = _in_squares(trunk) > 0.5
    # Only the rim of the trunk is a start; within it a way would cost nothing and run anywhere.
    core = cv2.erode(stem.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    free = (_in_squares(open_to) > 0.5) & ~core
    squares = np.argwhere(free)
    square = np.full(free.shape, NOWHERE)
    square[free] = np.arange(len(squares))
    sure, astray = _astray(np.stack([_in_squares(ahead[..., i])[free] for i in (0, 1)], axis=1))
    leaving = np.clip((astray - ON_ITS_ROOT) / (OFF_IT - ON_ITS_ROOT), 0.0, 1.0)
    leaving = TURN_COST * (sure * leaving + (1.0 - sure) * TURN_UNSURE)
    there, step = _steps(squares, square, cost)
    # From each heading straight on, or turning by one either way; straight on a turn costs nothing.
    turned = (np.arange(HEADINGS)[:, None] + np.array([-1, 0, 1])) % HEADINGS
    # The dearer of the two headings: leaving a root costs as much as having left it.
    turning = np.maximum(leaving[:, :, None], leaving[:, turned]) * np.array([1.0, 0.0, 1.0])
    leads = (there >= 0)[:, turned]
    price = (step[:, turned] + turning)[leads]
    then = (there * HEADINGS + np.arange(HEADINGS))[:, turned][leads]
    start = len(squares) * HEADINGS
    begins = _begins(squares, square, stem & free)
    # Row by row as they stand here, so that nothing needs sorting.
    row_ends = np.cumsum(np.append(leads.sum(axis=2).ravel(), len(begins)))
    columns = np.concatenate([then, begins]).astype(np.int32)
    prices = np.concatenate([price, np.full(len(begins), LEAST_PRICE)])
    rows = np.concatenate([[0], row_ends]).astype(np.int32)
    graph = csr_array((prices, columns, rows), shape=(start + 1, start + 1))
    costs, before = dijkstra(graph, indices=start, return_predecessors=True)
    known = (before >= 0) & (before != start)
    return Ways(
        places=np.asarray((squares[:, ::-1] + 0.5) * SQUARE - 0.5, float),
        square=square,
        before=np.where(known, before, NOWHERE)[:-1].astype(np.int64),
        cost=np.asarray(costs)[:-1],
        astray=astray,
    )


def _in_squares(image: npt.NDArray[np.generic]) -> Map:
    """An image (side, side) of cells as means of squares; an odd last row is left out."""
    import cv2

    side = image.shape[0] // SQUARE
    whole = np.ascontiguousarray(image[: side * SQUARE, : side * SQUARE], np.float32)
    return np.asarray(cv2.resize(whole, (side, side), interpolation=cv2.INTER_AREA))


def _astray(ahead: Array) -> tuple[Array, Array]:
    """How sure a root's heading is (n, 1), 0 to 1, and each heading's angle to it (n, 16), rad."""
    sure = np.clip(np.hypot(*ahead.T), 0.0, 1.0)[:, None]
    own = np.arctan2(ahead[:, 1], ahead[:, 0])[:, None]
    return sure, np.abs((HEADING_RAD[None] - own + np.pi) % (2 * np.pi) - np.pi)


def _steps(squares: Numbers, square: Numbers, cost: Map) -> tuple[Numbers, Array]:
    """Where a step leads from each place (n, 16), -1 where none does, and what it costs."""
    # A rim of closed squares, as far as a step goes.
    square, cost = np.pad(square, 2, constant_values=NOWHERE), np.pad(cost, 2)
    places = squares + 2
    here = cost[tuple(places.T)]
    there = np.empty((len(squares), HEADINGS), np.int64)
    price = np.empty((len(squares), HEADINGS))
    for heading, (across, down) in enumerate(STEPS):
        onto = tuple((places + np.array([down, across])).T)
        between = np.fix(np.array([down, across]) / 2).astype(int)
        by = tuple((places + between).T)
        # A step to the second square must not leap over what is closed.
        there[:, heading] = np.where(square[by] >= 0, square[onto], NOWHERE)
        # A step to the next square has none between.
        means = (here + 2 * cost[by] + cost[onto]) / 4 if between.any() else (here + cost[onto]) / 2
        price[:, heading] = STEP_CELLS[heading] * means
    return there, price


def _begins(squares: Numbers, square: Numbers, rim: Mask) -> Numbers:
    """Nodes at the trunk's rim that head outward."""
    places = square[rim]
    away = squares[places] - np.argwhere(rim).mean(axis=0)
    out = np.arctan2(away[:, 0], away[:, 1])[:, None]
    off = np.abs((HEADING_RAD[None] - out + np.pi) % (2 * np.pi) - np.pi)
    at, heading = np.nonzero(off < LEAVES_WITHIN)
    return np.asarray(places[at] * HEADINGS + heading)
