"""What marking a known photo twice says of an eye: bias, repeatability, click deviation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array

MIN_PLACES = 6
STRAY_PX = 60.0
MIN_DEVIATION_PX = 0.3


@dataclass(frozen=True)
class EyeResult:
    """All px of the full-size photo.

    bias_right, bias_down : mean of click minus truth. repeat : standard deviation of one
    click against the same click made again. deviation : root mean square distance from
    the truth along one axis, which error bars use. strays : clicks so far off that they
    were taken for slips and left out.
    """

    bias_right: float
    bias_down: float
    bias_plus_minus: float
    repeat: float
    deviation: float
    clicks: int
    strays: int


def eye_result(first: Array, second: Array, truth: Array) -> EyeResult:
    """Bias and deviation of clicks.

    Parameters
    ----------
    first, second, truth : (n, 2), px, the same places in the same order.

    Raises
    ------
    BadInput : fewer than six places remain once slips are left out.
    """
    off = np.stack([first - truth, second - truth])
    sound = (np.hypot(off[..., 0], off[..., 1]) <= STRAY_PX).all(axis=0)
    if sound.sum() < MIN_PLACES:
        raise BadInput("points", "too many clicks lie far from what was asked; mark them again")
    kept = off[:, sound]
    twice = kept[1] - kept[0]
    bias = kept.reshape(-1, 2).mean(axis=0)
    spread = float(kept.reshape(-1, 2).std(axis=0, ddof=1).mean())
    return EyeResult(
        bias_right=float(bias[0]),
        bias_down=float(bias[1]),
        bias_plus_minus=1.96 * spread / float(np.sqrt(kept[0].shape[0] * 2)),
        repeat=float(np.sqrt((twice**2).mean() / 2)),
        deviation=max(float(np.sqrt((kept**2).mean())), MIN_DEVIATION_PX),
        clicks=int(kept.shape[0] * kept.shape[1]),
        strays=int((~sound).sum()) * 2,
    )
