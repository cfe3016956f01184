"""How fast flare and trunk grow: the species prior, corrected by the tree's own history."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import hypot

# The almanac's rates are guidance: a good third either way is usual.
PRIOR_RELATIVE_SD = 0.4
# Within half a year a difference is season and measuring error.
MIN_YEARS = 0.5
MAX_PRIOR_SD = 4.0
# Years differ by this much even for one tree in one pot.
YEARLY_RELATIVE_SD = 0.25
GROWN_FROM_MONTH = 7


@dataclass(frozen=True)
class Seen:
    """One measurement: date as decimal year, size in mm with its 95 % half-width."""

    year: float
    size_mm: float
    plus_minus_mm: float


@dataclass(frozen=True)
class Rate:
    """Growth in mm a year in a wide training pot, its sd, and how many changes it rests on.

    prior : by the almanac, mean and sd. seen : what the measurements alone say, mean and sd;
    None before two of them.
    """

    mm_per_year: float
    sd: float
    evidence: int
    prior: tuple[float, float] = (0.0, 0.0)
    seen: tuple[float, float] | None = None


def grown_year(day: date) -> int:
    """The last year whose growth a base measured on a day shows."""
    # Before midsummer a base is the one its last year left.
    return day.year if day.month >= GROWN_FROM_MONTH else day.year - 1


def plausible_change(observed: float, error: float, prior: float, prior_sd: float) -> bool:
    """Whether a tree can have changed so: not more than 4 deviations of its kind, not shrunk.

    All in mm a year. What no tree can do is not learnt from; the photo may show another one.
    """
    beyond = abs(observed - prior) > MAX_PRIOR_SD * hypot(prior_sd, error)
    shrunk = observed < -1.96 * error
    return not (beyond or shrunk)


def growth_rate(
    prior_per_trunk: float, trunk_mm: float, seen: Sequence[Seen], factor: float
) -> Rate:
    """Normal-normal update of the prior by the change from the first to the last measurement.

    Parameters
    ----------
    prior_per_trunk : mm a year per mm of trunk diameter. factor : mean container factor
    times vigour over the measured years. Years differ by a quarter of the prior rate,
    so even exact measurements leave some doubt.

    Source: Gelman et al., Bayesian Data Analysis, 3rd ed., section 2.5.
    """
    mean = prior_per_trunk * trunk_mm
    sd = PRIOR_RELATIVE_SD * mean
    order = sorted(seen, key=lambda point: point.year)
    if len(order) < 2 or order[-1].year - order[0].year < MIN_YEARS or factor <= 0:
        return Rate(mean, sd, 0, (mean, sd))
    # The ends alone: measurements between share their error with both.
    first, last = order[0], order[-1]
    exposure = (last.year - first.year) * factor
    observed = (last.size_mm - first.size_mm) / exposure
    # The ± is of 95 %, a normal law's 1.96 standard deviations.
    error = (first.plus_minus_mm**2 + last.plus_minus_mm**2) ** 0.5 / 1.96 / exposure
    years = last.year - first.year
    error = (error**2 + (YEARLY_RELATIVE_SD * mean) ** 2 / years) ** 0.5
    if not plausible_change(observed, error, mean, sd):
        return Rate(mean, sd, 0, (mean, sd), (observed, error))
    # Each counts by how sure it is.
    weight_prior, weight_seen = 1 / sd**2, 1 / max(error, 1e-6) ** 2
    joined = (mean * weight_prior + observed * weight_seen) / (weight_prior + weight_seen)
    joined_sd = (weight_prior + weight_seen) ** -0.5
    count = len(order) - 1
    return Rate(max(0.0, joined), joined_sd, count, (mean, sd), (observed, error))
