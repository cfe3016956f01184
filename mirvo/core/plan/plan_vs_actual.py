"""Planned against done: what a session did otherwise than its plan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mirvo.core.angles import clockwise_from
from mirvo.core.clock import clock_time
from mirvo.core.plan.records import PlannedStep

# Less than this is within what a ruler and an eye can tell.
SLICE_NOTED_MM = 2.0
SHARE_NOTED = 0.03
# A graft set within half an hour of the clock stands where it was planned.
GRAFT_NOTED_DEG = 15.0


@dataclass(frozen=True)
class ActualSession:
    """What a session did.

    roots : part of each root that went. share : of the fine roots. grafts_deg : where grafts were
    set, azimuth.
    """

    year: int
    roots: Mapping[str, float]
    slice_mm: float
    share: float
    container: str
    grafts_deg: tuple[float, ...] = ()


@dataclass(frozen=True)
class Difference:
    """One thing that went otherwise, with a code and a sentence."""

    code: str
    text: str


def against_plan(step: PlannedStep | None, done: ActualSession) -> list[Difference]:
    """Differences between a planned step and the session; empty when it went as planned.

    step : a step of a plan's path, of that year or the next one; None when there was none.
    """
    if step is None:
        return [Difference("unplanned", f"No session was planned in {done.year}.")]
    found = []
    if step.year != done.year:
        found.append(Difference("year", f"Planned for {step.year}, done in {done.year}."))
    found += _roots(step.parts, done.roots)
    if abs(done.slice_mm - step.slice_mm) >= SLICE_NOTED_MM:
        text = f"{done.slice_mm:.0f} mm came off the underside instead of {step.slice_mm:.0f} mm."
        found.append(Difference("slice", text))
    found += _grafts([work.azimuth_deg for work in step.grafts], done.grafts_deg)
    if done.container != step.container:
        text = f"Into the {done.container} instead of the {step.container}."
        found.append(Difference("container", text))
    if abs(done.share - step.share) >= SHARE_NOTED:
        text = f"{done.share * 100:.0f}% of the fine roots went instead of "
        over = done.share > step.budget + 1e-9
        end = f", above the budget of {step.budget * 100:.0f}%." if over else "."
        found.append(Difference("share", f"{text}{step.share * 100:.0f}%{end}"))
    return found


def _grafts(planned: Sequence[float], done: Sequence[float]) -> list[Difference]:
    missing = [place for place in planned if not _near(place, done)]
    extra = [place for place in done if not _near(place, planned)]
    found = [
        Difference("graft", f"The graft planned at {clock_time(place)} was not set.")
        for place in missing
    ]
    found += [
        Difference("graft", f"A graft was set at {clock_time(place)} that was not planned.")
        for place in extra
    ]
    return found


def _near(place: float, others: Sequence[float]) -> bool:
    return any(
        min(clockwise_from(place, other), clockwise_from(other, place)) <= GRAFT_NOTED_DEG
        for other in others
    )


def _roots(planned: Mapping[str, float], done: Mapping[str, float]) -> list[Difference]:
    found = []
    for label, part in planned.items():
        went = done.get(label, 0.0)
        if went == 0.0:
            found.append(Difference("spared", f"{label} was to go and stayed."))
        # A cut is not placed to the millimetre.
        elif went < part - 0.05:
            text = f"Of {label} {went * 100:.0f}% went instead of {part * 100:.0f}%."
            found.append(Difference("less", text))
    found += [
        Difference("extra", f"{label} was cut and was not planned.")
        # Sorted, so that the sentences stand in the same order at every reading.
        for label in sorted(set(done) - set(planned))
    ]
    return found
