"""What two sets of decisions come to, in a sentence or two."""

from __future__ import annotations

from dataclasses import dataclass

# Less is no difference to choose by.
CHANCE_TOLD, STRAIN_TOLD, RATIO_TOLD = 0.05, 3.0, 0.05


@dataclass(frozen=True)
class Outcome:
    """What one side comes to by the end of a year.

    likely : year by which it has likely arrived, None if never. chance : to have arrived by then.
    ratio : spread expected, in trunks; None where it is not known. strain : of all sessions up to
    then.
    """

    likely: int | None

    chance: float
    ratio: float | None
    strain: float


def comparison_in_short(year: int, first: Outcome, second: Outcome) -> list[str]:
    """The differences that matter, most important first; the sides are A and B.

    >>> comparison_in_short(2031, Outcome(2033, 0.6, 2.4, 40), Outcome(2033, 0.6, 2.42, 65))
    ['A is easier on the tree: stress 40 in all against 65.']
    """
    told = [
        _likely(first, second),
        _chance(year, first, second),
        _spread(first, second),
        _strain(first, second),
    ]
    found = [sentence for sentence in told if sentence]
    return found or [f"By the end of {year} both come to the same."]


def _likely(first: Outcome, second: Outcome) -> str:
    if first.likely == second.likely:
        return ""
    if first.likely is None or second.likely is None:
        name, year = ("A", first.likely) if second.likely is None else ("B", second.likely)
        return f"Only {name} is likely to get there: by {year}."
    sooner = "A" if first.likely < second.likely else "B"
    years = sorted([first.likely, second.likely])
    return f"{sooner} is likely to get there sooner: by {years[0]} instead of {years[1]}."


def _chance(year: int, first: Outcome, second: Outcome) -> str:
    chances = [first.chance, second.chance]
    if abs(chances[0] - chances[1]) < CHANCE_TOLD:
        return ""
    better = "A" if chances[0] > chances[1] else "B"
    return (
        f"{better} is more likely to be there by the end of {year}: "
        f"{max(chances) * 100:.0f}% against {min(chances) * 100:.0f}%."
    )


def _spread(first: Outcome, second: Outcome) -> str:
    if first.ratio is None or second.ratio is None:
        return ""
    ratios = [first.ratio, second.ratio]
    if abs(ratios[0] - ratios[1]) < RATIO_TOLD:
        return ""
    wider = "A" if ratios[0] > ratios[1] else "B"
    return (
        f"{wider} has the wider flare: {max(ratios):.2f} trunks against {min(ratios):.2f}, as "
        "expected."
    )


def _strain(first: Outcome, second: Outcome) -> str:
    totals = [first.strain, second.strain]
    if abs(totals[0] - totals[1]) < STRAIN_TOLD:
        return ""
    easier = "A" if totals[0] < totals[1] else "B"
    return (
        f"{easier} is easier on the tree: stress {min(totals):.0f} in all against "
        f"{max(totals):.0f}."
    )
