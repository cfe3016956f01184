"""The root ball out of the pot: its size, and how deep its wood reaches."""

from __future__ import annotations

import numpy as np

from mirvo.core.measure.elevation import Elevation
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import BallRecord
from mirvo.core.measure.side_marks import Ball
from mirvo.core.measure.uncertainty import figure

WOOD_SHARE_OF_TRUNK = 1 / 8
MIN_WOOD_MM = 3.0


def measure_ball(
    ball: Ball, frame: Elevation, root_plane_mm: float, narrowest_mm: float
) -> BallRecord:
    """Width and depth of the ball and the depth of its wood.

    Parameters
    ----------
    root_plane_mm : height of the root plane in the elevation frame.
    narrowest_mm : stands for the trunk diameter where the ball names none.

    Woody depth is the depth below the root plane to which wood thicker than D/8, at
    least 3 mm, reaches: the least depth of pot without another cut.
    """
    outline = frame.points(ball.outline)
    depth = root_plane_mm - outline[..., 1].min(axis=1)
    trunk_mm = ball.trunk_diameter_mm or narrowest_mm
    return BallRecord(
        width_mm=figure(np.ptp(outline[..., 0], axis=1)),
        depth_mm=figure(np.maximum(depth, 0.0)),
        woody_depth_mm=_woody_depth(ball, frame, root_plane_mm, trunk_mm),
    )


def _woody_depth(
    ball: Ball, frame: Elevation, root_plane_mm: float, trunk_mm: float
) -> Figure | None:
    if not ball.wood:
        return None
    ends = frame.points([point for pair in ball.wood for point in pair])
    first, second = ends[:, ::2], ends[:, 1::2]
    thick = np.hypot(*np.moveaxis(second - first, 2, 0))
    counted = thick[0] >= max(MIN_WOOD_MM, trunk_mm * WOOD_SHARE_OF_TRUNK)
    depth = root_plane_mm - (first + second)[..., 1] / 2
    if not counted.any():
        return Figure(0.0, 0.0)
    return figure(np.maximum(depth[:, counted].max(axis=1), 0.0))
