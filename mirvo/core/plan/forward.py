"""What holds a path back, and what the artist could do to bring it forward."""

from __future__ import annotations

from mirvo.core.almanac import rules
from mirvo.core.plan.case import FINAL, Case
from mirvo.core.plan.layering import lay, wants_layer
from mirvo.core.plan.outcomes import recommended
from mirvo.core.plan.problem import PlanningProblem, open_gaps
from mirvo.core.plan.records import Binding, Lever
from mirvo.core.plan.search import glance
from mirvo.core.plan.unreachable import with_target

RELIEF = {
    "budget": "with half as much again",
    "flare_growth": "with half as much again",
    "gap": "without waiting for new roots",
    "hold": "without them",
}
# In steps a person would think in, the smallest that helps named.
EASIER = {"spread_ratio": (-0.1, -0.2, -0.4), "pot_depth_mm": (10, 20), "largest_gap_deg": (15, 30)}


def binding(case: Case, school: str, reached: int, first: int) -> list[Binding]:
    """What holds the year back: each limit whose lifting alone would bring it forward.

    reached : year of the path. first : year of the first session. A rest is no limit to lift:
    it is what a tree needs.
    """
    found = []
    # Both sides are looked at in the same quick way.
    reached = reached_year(case, school) or reached
    # Each limit is lifted alone: what then comes sooner was held back by it.
    for code, eased, text in _easings(case, school, first):
        year = reached_year(eased, school)
        if year is not None and year < reached:
            gained = reached - year
            found.append(
                Binding(
                    code=code,
                    text=text,
                    gained_years=gained,
                    eased=f"{RELIEF[code]} {_years(gained)} sooner",
                )
            )
    if not found:
        # Several hold at once; lifting one leaves the others.
        text = "No single limit: each alone leaves the year as it is."
        found.append(Binding(code="together", text=text, gained_years=0, eased=""))
    return found


def levers(case: Case, school: str, reached: int | None) -> tuple[Lever, ...]:
    """What could be done, each alone, with the years it gains; most gained first.

    reached : year of the path as it is, None when it is out of reach; then a lever is named
    with the year it makes possible, and `gained_years` is None. `value` is what it sets, where
    it sets something.
    """
    if reached is not None:
        reached = reached_year(case, school) or reached
    found = [one for code, steps in _levers(case) if (one := _least(code, steps, school, reached))]
    return tuple(sorted(found, key=lambda lever: lever.reached_year or 0))


def _least(
    code: str, steps: list[tuple[str, Case]], school: str, reached: int | None
) -> Lever | None:
    """The least step of a lever that helps, or None when none does."""
    for text, eased in steps:
        year = reached_year(eased, school)
        if year is None or (reached is not None and year >= reached):
            continue
        gained = None if reached is None else reached - year
        return Lever(
            code=code,
            text=text,
            value=_value(code, eased),
            reached_year=year,
            gained_years=gained,
        )
    return None


def reached_year(case: Case, school: str) -> int | None:
    """The year recommended for a case, found quickly; a still better one may have been missed."""
    if wants_layer(case):
        layered = lay(case, school)
        if layered is None:
            return None
        case = layered.after
    problem = PlanningProblem(case, school)
    best, _ = recommended(problem, glance(problem).tradeoff(problem.rules.tradeoff_step))
    return None if best is None else best.year


def _value(code: str, eased: Case) -> float | str | None:
    """What a lever sets: the target's new figure, or the container to offer."""
    if code in EASIER:
        return float(getattr(eased.target, code))
    return (eased.containers or (None,))[-1] if code == "container" else None


def _years(count: int) -> str:
    return "a year" if count == 1 else f"{count} years"


def _easings(case: Case, school: str, first: int) -> list[tuple[str, Case, str]]:
    """Limits lifted one by one: code, the eased case, and the limit in words."""
    growth, budget = case.state.growth, case.species.budget
    faster = growth.model_copy(update={"spread_mm_per_year": growth.spread_mm_per_year * 1.5})
    larger = budget.model_copy(update={school: min(1.0, 1.5 * budget.of(school))})
    # As the planner sees it, with strength, age and origin in it.
    share = PlanningProblem(case, school).budget(first)
    eased = [
        (
            "budget",
            case.model_copy(update={"species": case.species.model_copy(update={"budget": larger})}),
            f"the budget of {share * 100:.0f} % a session",
        ),
        (
            "flare_growth",
            case.model_copy(update={"state": case.state.model_copy(update={"growth": faster})}),
            f"flare growth of {growth.spread_mm_per_year:.1f} mm a year",
        ),
    ]
    if open_gaps(case):
        text = "the time a new root in a gap needs to count"
        eased.append(("gap", with_target(case, largest_gap_deg=360.0), text))
    if case.holds:
        text = "the years fixed by hand"
        eased.append(("hold", case.model_copy(update={"holds": ()}), text))
    return eased


def _levers(case: Case) -> list[tuple[str, list[tuple[str, Case]]]]:
    """What the artist could do, each with its steps from least to most."""
    found: list[tuple[str, list[tuple[str, Case]]]] = []
    for name, container in rules().containers.items():
        # The final pot is no place to grow in, so it is no offer.
        if name not in case.offered and name != FINAL:
            wider = case.model_copy(update={"containers": (*case.offered, name)})
            article = "the" if name == "ground" else "a"
            text = f"{article} {name} to grow in, {container.growth:g} times a year's growth"
            found.append(("container", [(text, wider)]))
    if any(gap.method != "graft" for gap in case.gaps):
        gaps = [gap.model_copy(update={"method": "graft"}) for gap in case.gaps]
        found.append(("graft", [("grafts into the gaps", case.model_copy(update={"gaps": gaps}))]))
    if case.holds:
        found.append(
            ("hold", [("without the years fixed by hand", case.model_copy(update={"holds": ()}))])
        )
    found += _lower_targets(case)
    return found


def _lower_targets(case: Case) -> list[tuple[str, list[tuple[str, Case]]]]:
    target = case.target
    reasons = {
        "spread_ratio": "a spread of {:.2f} trunks instead of {:.2f}",
        "pot_depth_mm": "a pot {:.0f} mm deep instead of {:.0f} mm",
        "largest_gap_deg": "a largest gap of {:.0f}° instead of {:.0f}°",
    }
    found = []
    for part, changes in EASIER.items():
        wished = getattr(target, part)
        eased = [wished + change for change in changes]
        cases = [
            (reasons[part].format(value, wished), with_target(case, **{part: value}))
            for value in eased
            # A step that is no target any more is left out, not clipped to the limit.
            if value >= 1.0 and (part != "largest_gap_deg" or value <= 360.0)
        ]
        found.append((part, cases))
    return found
