"""The trunk's two edges in the elevation frame, read off every 5 mm."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.elevation import Elevation
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.uncertainty import Array

# Finer than bark is rough, coarser than clicks are wrong.
STEP_MM = 5.0
# Higher than this the widths at the soil would be guessed.
MAX_GAP_MM = 10.0
SMOOTH_MM = 6.0


@dataclass
class Silhouette:
    """Left and right edge, (rows, n, 2) mm; `heights` every 5 mm from the soil line up."""

    left: Array
    right: Array
    heights: Array

    @property
    def top(self) -> float:
        """Height up to which both edges are marked, mm."""
        return float(min(self.left[0, :, 1].max(), self.right[0, :, 1].max()))

    def edges_at(self, heights: Array) -> Array:
        """x of the left and right edge, (2, rows, m), at heights (m,) mm.

        Where an edge crosses a height more than once the outermost crossing counts;
        beyond its ends its last point's x holds.
        """
        return np.stack([_x_at(self.left, heights, -1.0), _x_at(self.right, heights, 1.0)])

    def widths_at(self, heights: Array) -> Array:
        """Widths (rows, m), mm."""
        left, right = self.edges_at(heights)
        return np.asarray(right - left)

    def widths(self) -> Array:
        """Widths (rows, m), mm, every 5 mm."""
        return self.widths_at(self.heights)

    def smooth_widths(self) -> Array:
        """Widths with single clicks' errors evened out, so that the least is not just noise."""
        # A line is fitted about each height (local regression), so that a slope is not flattened.
        apart = (self.heights[:, None] - self.heights[None]) / SMOOTH_MM
        weight = np.exp(-(apart**2) / 2)
        raw = self.widths()
        offset = self.heights[:, None] - self.heights[None]
        s0, s1, s2 = (weight.sum(0), (weight * offset).sum(0), (weight * offset**2).sum(0))
        local = weight * (s2 - offset * s1) / np.maximum(s0 * s2 - s1**2, 1e-9)
        return np.asarray(raw @ local)

    def from_height(self, height: Array) -> Silhouette:
        """The same with the soil line moved up to `height` (rows,), mm."""
        move = np.stack([np.zeros_like(height), height], axis=1)[:, None]
        top = self.top - float(height[0])
        return Silhouette(self.left - move, self.right - move, every_step_to(top))

    def shifted(self, x: Array) -> Silhouette:
        """The same with x = 0 moved to `x` (rows,)."""
        move = np.stack([x, np.zeros_like(x)], axis=1)[:, None]
        return Silhouette(self.left - move, self.right - move, self.heights)


def silhouette(frame: Elevation, marks: SideMarks) -> Silhouette:
    """The edges of one photo.

    Raises
    ------
    BadInput : an edge does not come down to the soil line, or the two share no height.
    """
    edges = {name: frame.points(getattr(marks, name)) for name in ("left_edge", "right_edge")}
    for name, edge in edges.items():
        # Measured from the soil line: below nought is in the soil.
        low, high = float(edge[0, :, 1].min()), float(edge[0, :, 1].max())
        if low > MAX_GAP_MM:
            raise BadInput(
                name, f"the edge ends {low:.0f} mm above the soil line; mark it down to it"
            )
        if high < STEP_MM:
            raise BadInput(name, "the edge does not rise above the soil line; mark it upward")
    left, right = edges.values()
    top = min(float(left[0, :, 1].max()), float(right[0, :, 1].max()))
    return Silhouette(left, right, every_step_to(top))


def every_step_to(top_mm: float) -> Array:
    """Heights every 5 mm from the soil line to the top, mm."""
    return np.arange(0.0, top_mm + 1e-9, STEP_MM)


def _x_at(edge: Array, heights: Array, outward: float) -> Array:
    start, end = edge[:, :-1], edge[:, 1:]
    rise = end[..., 1] - start[..., 1]
    share = (heights[None, :, None] - start[:, None, :, 1]) / np.where(
        # A level stretch of edge has no single crossing; its ends have.
        np.abs(rise) < 1e-9,
        np.nan,
        rise,
    )[:, None]
    hit = (share >= 0) & (share <= 1)
    # Of several crossings the outermost is the outline one sees.
    x = start[:, None, :, 0] + share * (end - start)[:, None, :, 0]
    found = np.where(hit, x * outward, -np.inf).max(axis=2) * outward
    lowest = np.take_along_axis(edge[..., 0], edge[..., 1].argmin(1)[:, None], 1)
    highest = np.take_along_axis(edge[..., 0], edge[..., 1].argmax(1)[:, None], 1)
    beyond = np.where(heights[None] <= edge[..., 1].min(1)[:, None], lowest, highest)
    return np.asarray(np.where(np.isfinite(found), found, beyond))
