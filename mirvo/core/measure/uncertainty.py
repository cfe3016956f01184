"""Error bars: every figure is computed for the marks as set and for random draws round them."""

from __future__ import annotations

import math
from functools import lru_cache
from threading import Lock
from typing import Any

import numpy as np
import numpy.typing as npt

from mirvo.core.angles import angle_between
from mirvo.core.measure.figure import Figure

Array = npt.NDArray[np.float64]

# Enough for a ± that is steady to about 5 %, few enough to answer while a point is dragged.
DRAWS = 400
SEED = 20_240_229
# What is said everywhere: the ± holds the truth in 19 of 20 cases.
COVER = 0.95


class Draws:
    """Source of perturbed marks; row 0 of everything it gives is unperturbed.

    The same seed gives the same draws every time, so that a figure changes only when a
    mark does.

    Parameters
    ----------
    click_sd_px : standard deviation of one click, px of the full-size photo.
    count : number of random draws beside row 0.
    """

    def __init__(self, click_sd_px: float, count: int = DRAWS, seed: int = SEED) -> None:
        self.rows = count + 1
        self.click_sd_px = click_sd_px
        self._noise = _Noise(_normals_of(seed))

    def with_click_sd(self, click_sd_px: float) -> Draws:
        """The same stream of draws for a photo with another click deviation."""
        other = Draws(click_sd_px, self.rows - 1)
        # The photos of a set share one stream; else their errors would be the same errors.
        other._noise = self._noise
        return other

    def points(self, points: Any, sd: float | Array | None = None) -> Array:
        """Copies of `points` (n, 2) with Gaussian click error; shape (rows, n, 2), px. sd : of
        all, or of each (n, 1), px."""
        base = np.asarray(points, dtype=float)
        return self._around(base, self.click_sd_px if sd is None else sd)

    def scalars(self, value: float, sd: float) -> Array:
        """Copies of one number with Gaussian error; shape (rows,)."""
        return self._around(np.asarray(value), sd)

    def _around(self, base: Array, sd: float | Array) -> Array:
        drawn = self._noise.take((self.rows, *base.shape)) * sd
        drawn += base
        # Row 0 is the figure itself; it must not move when the error does.
        drawn[0] = base
        return np.asarray(drawn)


class _Normals:
    """Standard normal numbers of one seed: drawn once, kept, and more drawn when asked for."""

    def __init__(self, seed: int) -> None:
        self._rng = np.random.default_rng(seed)
        self._drawn = np.zeros(0)
        self._drawing = Lock()

    def first(self, count: int) -> Array:
        """At least the first `count` numbers, (n,); read only, as all draws share them."""
        with self._drawing:
            short = count - self._drawn.size
            if short > 0:
                # Doubled each time, so that a hundred roots cost a few drawings.
                more = self._rng.standard_normal(max(short, self._drawn.size))
                self._drawn = np.concatenate([self._drawn, more])
                # Shared by all: whoever wrote into it would change everybody's figures.
                self._drawn.flags.writeable = False
            return self._drawn


_normals_of = lru_cache(maxsize=4)(_Normals)


class _Noise:
    """Where one set of draws stands in the numbers of its seed."""

    def __init__(self, normals: _Normals) -> None:
        self._normals = normals
        self._taken = 0

    def take(self, shape: tuple[int, ...]) -> Array:
        """The next standard normal numbers in the wanted shape; read only."""
        # Each call takes the next numbers, so two marks never share their error.
        start, self._taken = self._taken, self._taken + math.prod(shape)
        return self._normals.first(self._taken)[start : self._taken].reshape(shape)


def figure(samples: Array) -> Figure:
    """Value and ± of samples whose first entry is the value itself.

    The ± is the distance from the value within which 95 % of the draws fall, so a
    lopsided spread of draws widens it instead of hiding.
    """
    # Away from the value itself, not from the mean of the draws, which may lie elsewhere.
    rest = np.abs(samples[1:] - samples[0])
    return Figure(float(samples[0]), _covering(rest))


def figure_of_angle(samples: Array) -> Figure:
    """As `figure` for azimuths in degrees, differences taken round the circle."""
    return Figure(float(samples[0] % 360.0), _covering(angle_between(samples[1:], samples[0])))


def _covering(away: Array) -> float:
    """The quantile of distances (n,) that covers 95 %, between neighbours linearly; 0 of none.

    As numpy.quantile, whose many checks cost more than the work on a few hundred draws.
    """
    if not away.size:
        return 0.0
    # Between two neighbours, as a quantile is usually read.
    at = COVER * (away.size - 1)
    low = int(at)
    high = min(low + 1, away.size - 1)
    sorted_there = np.partition(away, (low, high))
    return float(sorted_there[low] + (at - low) * (sorted_there[high] - sorted_there[low]))
