"""Gaps between the roots: which are to be closed, and the largest that is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mirvo.core.angles import angle_between, clockwise_from
from mirvo.core.plan.case import Case, Gap, GapMethod

SAME_ROOT_DEG = 0.5


def open_gaps(case: Case) -> list[Gap]:
    """The gaps to be closed: wider than the target as named, or once all faults are gone."""
    limit = case.target.largest_gap_deg
    # Gaps that open only once the faults are gone count as well.
    wide = [(gap.from_deg, _width(gap)) for gap in wide_gaps(case)]

    def lies_open(gap: Gap) -> bool:
        roots = gap.new_roots_deg(limit)
        return any(0 < clockwise_from(start, at) < width for start, width in wide for at in roots)

    return [gap for gap in case.gaps if gap.width_deg > limit or lies_open(gap)]


def wide_gaps(case: Case) -> list[Gap]:
    """Gaps wider than the target once all faults are gone, named or not."""
    gone = [fault.azimuth_deg for fault in case.faults if fault.azimuth_deg is not None]
    order = sorted(a % 360.0 for a in without(case.state.root_azimuths_deg, gone))
    if len(order) < 2:
        # One root alone leaves the whole round open behind it.
        return [Gap(from_deg=start, to_deg=start) for start in order or [0.0]]
    gaps = (Gap(from_deg=a, to_deg=b) for a, b in zip(order, order[1:] + order[:1], strict=True))
    return [gap for gap in gaps if gap.width_deg > case.target.largest_gap_deg]


def _width(gap: Gap) -> float:
    return gap.width_deg or 360.0


def without(azimuths: Sequence[float], gone: Sequence[float]) -> list[float]:
    """Azimuths less those of roots gone, each met within half a degree."""
    left = list(azimuths)
    for azimuth in gone:
        # The same azimuth comes from two roundings, so it is met and not equalled.
        near = [a for a in left if angle_between(a, azimuth) < SAME_ROOT_DEG]
        if near:
            left.remove(near[0])
    return left


def gaps_between(
    azimuths: Mapping[str, float],
    most_deg: float,
    methods: Mapping[tuple[str, str], GapMethod],
) -> tuple[Gap, ...]:
    """Gaps wider than `most_deg`, named by the roots beside them.

    azimuths : of the roots that stay, by letter. methods : how to close a gap, by the letters on
    its sides, clockwise; by grafts where nothing is chosen.
    """
    around = sorted((azimuth, label) for label, azimuth in azimuths.items())
    # One root alone has no neighbour to name a gap by.
    if len(around) < 2:
        return ()
    return tuple(
        Gap(
            from_deg=start,
            to_deg=end,
            method=methods.get((root, other), "graft"),
            between=f"{root}-{other}",
        )
        for (start, root), (end, other) in zip(around, around[1:] + around[:1], strict=True)
        if clockwise_from(start, end) > most_deg
    )


def largest_gap(azimuths: Sequence[float]) -> float:
    """Largest angle between neighbouring azimuths, degrees; 360 for fewer than two."""
    order = sorted(a % 360.0 for a in azimuths)
    if len(order) < 2:
        return 360.0
    return max(clockwise_from(a, b) for a, b in zip(order, order[1:] + order[:1], strict=True))
