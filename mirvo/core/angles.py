"""Angles round the circle, in degrees: the one place where they are wrapped."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
import numpy.typing as npt

Angle = TypeVar("Angle", float, npt.NDArray[np.float64])
HOUR_DEG = 30.0


def signed_turn(degrees: Angle) -> Angle:
    """The same turn as an angle from -180 (included) to 180 (not included), degrees.

    >>> signed_turn(350.0), signed_turn(-190.0), signed_turn(180.0)
    (-10.0, 170.0, -180.0)
    """
    return (degrees + 180.0) % 360.0 - 180.0


def angle_between(a: Angle, b: Angle) -> Angle:
    """How far two directions lie apart, 0 to 180 degrees.

    >>> angle_between(350.0, 20.0)
    30.0
    """
    return abs(signed_turn(a - b))


def clockwise_from(start: Angle, end: Angle) -> Angle:
    """How far it is clockwise from one direction to another, 0 (included) to 360 degrees.

    >>> clockwise_from(350.0, 20.0)
    30.0
    """
    return (end - start) % 360.0


def clock_hour(azimuth_deg: float) -> float:
    """Hour on the clock for an azimuth, to a tenth: back 12, right 3, front 6, left 9.

    >>> clock_hour(0.0), clock_hour(90.0), clock_hour(265.0)
    (12.0, 3.0, 8.8)
    """
    hour = round(azimuth_deg % 360.0 / HOUR_DEG, 1)
    return 12.0 if hour in (0.0, 12.0) else hour
