"""How evenly the roots stand round the trunk: four parts, one index, the gaps.

Every part is continuous in every mark: roots are weighed by their width, neighbours merge
gradually, and a root that leads round the trunk instead of outward fades out.

Circular statistics after Mardia & Jupp, Directional Statistics (2000): the mean resultant
length (section 2.3) and Watson's U² (section 6.3.3), whose pairwise form with the Bernoulli
polynomial B₂ measures how far weighted directions are from even.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.measure.uncertainty import Array

HOUR_DEG = 30.0
# Cells of the circle in which coverage is counted; a cell that is half covered counts half.
CELL_DEG = 2.0
CELLS = round(360.0 / CELL_DEG)
# From the cell a root stands in to the last that it covers a little of, on both sides.
REACHED = np.arange(-(HOUR_DEG // CELL_DEG) - 1, HOUR_DEG // CELL_DEG + 3)
# Branches of a fork count as one root; farther apart they do so less and less.
MERGE_DEG = 8.0
# A root this share of the usual width or more counts in full, a hair by next to nothing.
FULL_SHARE, HAIR_POWER = 0.6, 3
USUAL_ROUNDS, USUAL_SLOPE, USUAL_POWER = 30, 2.0, 0.75
# Outward within 60 degrees a root counts in full; at 90 it leads nowhere.
OUTWARD_COSINE = 0.5


@dataclass(frozen=True)
class RadialityDraws:
    """Each part, the index and the largest gap for every draw, (rows,)."""

    index: Array
    coverage: Array
    evenness: Array
    balance: Array
    heading: Array
    largest_gap_deg: Array
    largest_gap_middle_deg: float | None
    open_arcs: list[tuple[float, float]]


def radiality(azimuths: Array, weights: Array, heading_errors: Array) -> RadialityDraws:
    """Radiality of the roots that count.

    Parameters
    ----------
    azimuths, weights, heading_errors : (rows, n), degrees, mm (any common unit), degrees.
        Roots tagged dead or planned for removal are left out by the caller.

    Returns
    -------
    RadialityDraws; parts 0 to 1, index 0 to 100. n = 0 gives 0 in every part and one
    gap of 360 degrees.

    Examples
    --------
    >>> two = np.array([[0.0, 180.0]])
    >>> round(float(radiality(two, np.ones((1, 2)), np.zeros((1, 2))).index[0]), 1)
    33.3
    """
    rows, count = azimuths.shape
    if count == 0:
        nil = np.zeros(rows)
        return RadialityDraws(nil, nil, nil, nil, nil, np.full(rows, 360.0), None, [(0.0, 360.0)])
    straight = np.maximum(0.0, np.cos(np.radians(heading_errors)))
    outward = np.minimum(1.0, straight / OUTWARD_COSINE)
    present = (
        outward
        * np.minimum(1.0, weights / (FULL_SHARE * usual_width(weights)[:, None])) ** HAIR_POWER
    )
    coverage = _coverage(azimuths, present)
    evenness = _evenness(azimuths, weights * present, present)
    pull = weights * present
    total = np.maximum(pull.sum(1), 1e-12)
    aside = np.abs((pull * np.exp(1j * np.radians(azimuths))).sum(1)) / total
    # One root alone pulls by all there is, give or take the last digit.
    balance = 1.0 - np.minimum(aside, 1.0)
    heading = (weights * straight).sum(1) / weights.sum(1)
    # Coverage weighs as much as the other three together: an even quarter circle is no flare.
    index = 100.0 * coverage * np.cbrt(np.clip(evenness * balance * heading, 0.0, 1.0))
    order = np.sort(azimuths % 360.0, axis=1)
    gaps = neighbour_gaps(order)
    # Where the gap lies is that of the marks as set; the draws only say how wide.
    widest = int(gaps[0].argmax())
    middle = float((order[0, widest] + gaps[0, widest] / 2) % 360.0)
    return RadialityDraws(
        index, coverage, evenness, balance, heading, gaps.max(1), middle, open_arcs(order[0])
    )


def usual_width(weights: Array) -> Array:
    """Width (rows,) of a usual root: a weighted median made smooth.

    It is m with Σ w^0.75·tanh(2 ln(w/m)) = 0, by bisection. Hairs weigh little in it, and one
    monster does not draw it up to itself.
    """
    logs = np.log(np.maximum(weights, 1e-9))
    low, high = logs.min(axis=1), logs.max(axis=1)
    for _ in range(USUAL_ROUNDS):
        middle = (low + high) / 2
        pulls = weights**USUAL_POWER * np.tanh(USUAL_SLOPE * (logs - middle[:, None]))
        above = pulls.sum(axis=1) > 0
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return np.asarray(np.exp((low + high) / 2))


def neighbour_gaps(order: Array) -> Array:
    """Gaps in degrees after each of the sorted azimuths (rows, n), the last over north."""
    after = np.concatenate([order[:, 1:], order[:, :1] + 360.0], axis=1)
    return np.asarray(after - order)


def open_arcs(order: Array) -> list[tuple[float, float]]:
    """Arcs farther than one hour from every root; one over north has from > to."""
    gaps = neighbour_gaps(order[None])[0]
    return [
        (float((a + HOUR_DEG) % 360.0), float((a + gap - HOUR_DEG) % 360.0))
        for a, gap in zip(order, gaps, strict=True)
        if gap > 2 * HOUR_DEG
    ]


def _apart(a: Array, b: Array) -> Array:
    """Angle between directions, degrees, 0 to 180."""
    return np.asarray(np.abs((a - b + 180.0) % 360.0 - 180.0))


def _coverage(azimuths: Array, present: Array) -> Array:
    """Share of the circle within an hour of a root, each root as far as it is present.

    1 - Π (1 - vᵢ) where several reach, so that what covers twice counts once.
    """
    open_share = np.ones((len(azimuths), CELLS))
    rows = np.arange(len(azimuths))[:, None]
    for azimuth, share in zip(azimuths.T, present.T, strict=True):
        # Only the cells that a root reaches: a sixth of the circle.
        cells = np.floor(azimuth / CELL_DEG)[:, None] + REACHED
        away = np.abs(cells * CELL_DEG - azimuth[:, None])
        within = np.clip((HOUR_DEG - away) / CELL_DEG + 0.5, 0.0, 1.0)
        open_share[rows, cells.astype(int) % CELLS] *= 1.0 - share[:, None] * within
    return np.asarray(1.0 - open_share.mean(axis=1))


def _evenness(azimuths: Array, masses: Array, present: Array) -> Array:
    """1 - √((W - Wₙ) / (W₁ - Wₙ)): W is Watson's U² of the masses, Wₙ that of n even ones.

    W = Σ pᵢpⱼB₂(dᵢⱼ/360) is 1/6 for one direction and 1/(6n²) for n even ones. n is the
    effective number: neighbours that merge count as one, a hair as a little of one.
    """
    apart = _apart(azimuths[:, :, None], azimuths[:, None, :])
    near = np.exp(-apart / MERGE_DEG)
    # What lies together shares one place among the roots.
    crowd = (present[:, None, :] * near).sum(axis=2) + 1.0 - present
    masses = masses / np.maximum(crowd, 1e-9)
    share = masses / np.maximum(masses.sum(axis=1, keepdims=True), 1e-12)
    both = share[:, :, None] * share[:, None, :]
    turn = apart / 360.0
    uneven = (both * (turn**2 - turn + 1.0 / 6.0)).sum(axis=(1, 2))
    number = 1.0 / np.maximum((both * near).sum(axis=(1, 2)), 1e-12)
    least = 1.0 / (6.0 * number**2)
    room = 1.0 / 6.0 - least
    # One direction has no evenness.
    ratio = np.where(room > 1e-9, (uneven - least) / np.maximum(room, 1e-12), 1.0)
    return np.asarray(1.0 - np.sqrt(np.clip(ratio, 0.0, 1.0)))
