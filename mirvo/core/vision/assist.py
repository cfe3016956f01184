"""Help on one photo from above: proposals, live trace and widths, all in pixels of the photo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely import MultiPoint

from mirvo.core.errors import BadInput
from mirvo.core.measure import geometry
from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.marks import TopMarks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.uncertainty import Array, Draws
from mirvo.core.vision.card import sheet_px
from mirvo.core.vision.offers import FoundWidth, Spot, TracedRoot, pair, spots
from mirvo.core.vision.plan_view import plan_view
from mirvo.core.vision.propose import (
    Proposal,
    base_edges,
    base_strays,
    crest_seen,
    how_sure,
    point_sd_px,
    propose_roots,
)
from mirvo.core.vision.trace import Tracer, avoiding, covered_by, reaching, tracer
from mirvo.core.vision.width import base_width, width_along

# Help needs no error bars: one draw keeps the map quick.
FEW_DRAWS = 1
# A finger misses a thin tip by a few cells.
NEAR_CELLS = 4
CLOSE_CELLS, SHARED_TOO_MUCH = 5.0, 0.4
OUT_OF_REACH = "the tip lies more than 3.4 trunk diameters from the trunk; trace it by hand"


@dataclass(frozen=True)
class Assistant:
    """What is worked out once for a photo, its calibration and its trunk outline."""

    tracer: Tracer
    front_mm: Array

    def propose(self) -> list[Proposal]:
        """Roots believed to be seen, in the order of the clock."""
        return propose_roots(self.tracer, self.front_mm)

    def trace(self, tip: tuple[float, float], taken: Sequence[Array] = ()) -> TracedRoot:
        """Path from the trunk to a clicked tip, the width across its base, and how far
        its points may lie off, px.

        taken : paths (n, 2), px, of roots already marked; a way that runs along one of
        them is sought anew beside it.

        Raises
        ------
        BadInput : the tip lies inside the trunk or out of reach.
        """
        view = self.tracer.view
        on_plane = view.plane.to_plane(
            np.broadcast_to(np.array([[tip]]), (len(view.plane.foot), 1, 2))
        )
        # The click as it lies on the root plane; a tip in the air would be off by its height.
        x, y = (round(float(value)) for value in view.cells(on_plane[0])[0])
        # The map reaches only so far round the trunk.
        side = self.tracer.root.shape[0]
        if not (0 <= x < side and 0 <= y < side):
            raise BadInput("tip", OUT_OF_REACH)
        if self.tracer.trunk[y, x]:
            raise BadInput("tip", "the tip lies on the trunk; click where the root ends")
        tip_cell = self._on_the_ridge(x, y)
        traced = self.tracer
        if not traced.ways.reach(tip_cell):
            # Where nothing looks like a root the artist may know better.
            traced = reaching(traced, tip_cell)
        if not traced.ways.reach(tip_cell):
            raise BadInput("tip", "no way leads from there to the trunk")
        path = traced.path(tip_cell)
        others = [self._cells(path) for path in taken]
        # A way that mostly runs along a marked root was drawn into it; it is sought beside it.
        if others and _along(path, others) > SHARED_TOO_MUCH:
            beside = avoiding(traced, covered_by(traced, others))
            path = beside.path(tip_cell) if beside.ways.reach(tip_cell) else path
        path = _ending_at(path, np.array([x, y], float))
        widths = width_along(self.tracer.root, path)
        crest = crest_seen(view, path, widths)
        edges, sd_px = self._base_of(path, widths)
        return TracedRoot(
            path=spots(crest),
            base_width=edges,
            points_sd_px=round(sd_px, 1),
            base_sd_px=round(base_strays(self.tracer, path) * sd_px, 1),
        )

    def width_of(self, path_px: Array) -> FoundWidth:
        """The width across the base of a path (n, 2), px, drawn by hand, and how far it may be off.

        Where the root lies is as true as the path, so only the distance of the two points strays.
        """
        path = self.tracer.followed(self._cells(path_px))
        edges, sd_px = self._base_of(path, width_along(self.tracer.root, path))
        # Two points stray on their own, so their distance strays by √2 more.
        of_both = float(np.sqrt(2)) * sd_px
        return FoundWidth(base_width=edges, base_width_sd_px=round(of_both, 1))

    def _base_of(self, path: Array, widths: Array) -> tuple[tuple[Spot, Spot], float]:
        """Two points across the base of a path (n, 2), cells, px, and how far each may lie off."""
        wide = base_width(self.tracer.root, path, widths)
        edges = base_edges(self.tracer.view, path, wide)
        sd_px = point_sd_px(edges, how_sure(self.tracer.root, path, widths))
        return pair(edges), sd_px

    def _cells(self, pixels: Array) -> Array:
        """Pixels (n, 2) as cells of the flat view."""
        view = self.tracer.view
        rows = len(view.plane.foot)
        seen = np.broadcast_to(pixels, (rows, *pixels.shape))
        return view.cells(view.plane.to_plane(seen)[0])

    def _on_the_ridge(self, x: int, y: int) -> tuple[int, int]:
        """The likeliest cell right by a clicked one: a click misses the middle a little."""
        low_x, low_y = max(0, x - NEAR_CELLS), max(0, y - NEAR_CELLS)
        # The click moves onto the middle of the root nearby, else the path ends at its edge.
        part = np.where(self.tracer.trunk, -1.0, self.tracer.ridge)[
            low_y : y + NEAR_CELLS + 1, low_x : x + NEAR_CELLS + 1
        ]
        row, column = np.unravel_index(int(part.argmax()), part.shape)
        return low_x + int(column), low_y + int(row)


def _ending_at(path: Array, tip: Array) -> Array:
    """A path (n, 2), cells, as long as a click at its tip says: the ridge is surer farther in,
    where it was sought, but nobody knows better than the artist where a root ends."""
    last = path[-1] - path[-2]
    ahead = last / max(float(np.hypot(*last)), 1e-9)
    beyond = max(0.0, float((tip - path[-1]) @ ahead))
    return np.concatenate([path[:-1], [path[-1] + beyond * ahead]])


def _along(path: Array, others: list[Array]) -> float:
    """Share of a path (n, 2), cells, that runs close to one of the others."""
    from scipy.spatial.distance import cdist

    # A path is given by few points; it is compared with the line between them.
    nearest = [cdist(path, geometry.dense(other)).min(axis=1) for other in others]
    return float((np.min(nearest, axis=0) < CLOSE_CELLS).mean())


def assistant(
    marks: TopMarks,
    photo: PhotoInfo,
    picture: npt.NDArray[np.uint8],
    card_corners: Array | None = None,
) -> Assistant:
    """Set up help on one photo; takes a second or so, each answer after it far less.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue, full size.

    Raises
    ------
    BadInput : the trunk is not marked, or the calibration gives no map.
    """
    trunks = marks.trunk_marks()
    if not trunks:
        raise BadInput("trunk", "mark the trunk's outline first; roots are sought from it")
    plane = calibrate_by(marks, photo, Draws(0.0, FEW_DRAWS), card_corners)
    outline = _one_outline([np.array(trunk.outline) for _, trunk in trunks])
    height_mm = float(np.mean([trunk.height_mm for _, trunk in trunks]))
    paper = None if card_corners is None else sheet_px(card_corners)
    view = plan_view(picture, plane, outline, height_mm, paper)
    front = marks.front or (float(outline[:, 0].mean()), photo.height - 1.0)
    front_mm = plane.to_plane(np.broadcast_to(np.array([[front]]), (len(plane.foot), 1, 2)))[0, 0]
    return Assistant(tracer(view, height_mm), front_mm)


def _one_outline(outlines: list[Array]) -> Array:
    """Outline (n, 2) roots leave from: the trunk's own, or the hull of several on one base."""
    if len(outlines) == 1:
        return outlines[0]
    # For several trunks roots are sought from the ground they stand on together.
    hull = MultiPoint(np.concatenate(outlines)).convex_hull
    return np.asarray(hull.boundary.coords)[:-1]
