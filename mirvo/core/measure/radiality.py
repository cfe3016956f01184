"""How evenly the roots stand round the trunk: four parts, one index, the gaps.

Circular statistics after Mardia & Jupp, Directional Statistics (2000): the mean
resultant length (section 2.3) and Rao's spacing test (section 6.3.4).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.measure.uncertainty import Array

HOUR_DEG = 30.0
SAME_ROOT_DEG = 5.0


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
    order = np.sort(azimuths % 360.0, axis=1)
    gaps = neighbour_gaps(order)
    coverage = 1.0 - np.maximum(gaps - 2 * HOUR_DEG, 0.0).sum(1) / 360.0
    evenness = _evenness(azimuths, weights)
    resultant = np.abs((weights * np.exp(1j * np.radians(azimuths))).sum(1)) / weights.sum(1)
    balance = 1.0 - resultant
    straight = np.maximum(0.0, np.cos(np.radians(heading_errors)))
    heading = (weights * straight).sum(1) / weights.sum(1)
    # Coverage weighs as much as the other three together: an even quarter circle is no flare.
    index = 100.0 * coverage * np.cbrt(np.clip(evenness * balance * heading, 0.0, 1.0))
    # Where the gap lies is that of the marks as set; the draws only say how wide.
    widest = int(gaps[0].argmax())
    middle = float((order[0, widest] + gaps[0, widest] / 2) % 360.0)
    return RadialityDraws(
        index, coverage, evenness, balance, heading, gaps.max(1), middle, open_arcs(order[0])
    )


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


def _evenness(azimuths: Array, weights: Array) -> Array:
    groups = _groups(azimuths[0] % 360.0)
    count = len(groups)
    if count < 2:
        return np.zeros(len(azimuths))
    # A fork's branches count as one root in their common direction.
    vectors = weights * np.exp(1j * np.radians(azimuths))
    joined = np.stack([vectors[:, group].sum(1) for group in groups], axis=1)
    order = np.sort(np.degrees(np.angle(joined)) % 360.0, axis=1)
    spacing = 0.5 * np.abs(neighbour_gaps(order) - 360.0 / count).sum(1)
    return np.asarray(1.0 - spacing / (360.0 * (1.0 - 1.0 / count)))


def _groups(azimuths: Array) -> list[list[int]]:
    """Roots chained by steps of at most 5 degrees count as one."""
    order = [int(i) for i in np.argsort(azimuths, kind="stable")]
    groups: list[list[int]] = [[order[0]]]
    for before, here in zip(order, order[1:], strict=False):
        if azimuths[here] - azimuths[before] <= SAME_ROOT_DEG:
            groups[-1].append(here)
        else:
            groups.append([here])
    # The first and the last may be neighbours over north.
    wraps = azimuths[order[0]] + 360.0 - azimuths[order[-1]] <= SAME_ROOT_DEG
    if len(groups) > 1 and wraps:
        groups[0] = groups.pop() + groups[0]
    return groups
