"""What holds a path back, and what the artist could do to bring it forward."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import combinations
from typing import Any

from mirvo.core.almanac import rules
from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.angles import angle_between
from mirvo.core.plan.case import FINAL, Case, CaseSpecies, Gap
from mirvo.core.plan.gaps import SAME_ROOT_DEG, open_gaps, wide_gaps
from mirvo.core.plan.layering import lay, wants_layer
from mirvo.core.plan.outcomes import recommended
from mirvo.core.plan.places import GROUND
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import Binding, Lever
from mirvo.core.plan.search import Route, Search, find_routes, glance
from mirvo.core.plan.unreachable import with_target

RELIEF = {
    "budget": "with half as much again",
    "flare_growth": "with half as much again",
    "gap": "without waiting for new roots",
    "hold": "without them",
}
# Of what could be done the best are named; pairs are looked at quickly, and so many in full.
MOST_LEVERS, PAIRS_TRIED = 3, 4
NEVER = 9_999
NEXT_SCHOOL = {"gentle": "steady", "steady": "bold"}
LESS_RATIO, MORE_DEPTH_MM, MORE_LENGTH_MM, MORE_GAP_DEG = 0.1, 10.0, 20.0, 10.0
FREE_TO_TRY = "free to try"
# Fields of a case and what they become.
Changes = dict[str, Any]


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


@dataclass(frozen=True)
class _Offer:
    """Something the artist could do. eased : the case and the school as they would be then."""

    code: str
    text: str
    value: float | str | None
    eased: Callable[[Case, str], tuple[Case, str]]


def levers(case: Case, school: str, likely: int | None) -> tuple[Lever, ...]:
    """What could be done, each alone, by the years it brings the likely year forward: the best
    three, else the best pair. Never a shorter rest.

    likely : likely year of the path as it is, None when it is out of reach or never likely.
    """
    offers = _offers(case, school)
    found = [lever for offer in offers if (lever := _gain(case, school, likely, offer))]
    if not found:
        pairs = [pair for pair in combinations(offers, 2) if pair[0].code != pair[1].code]
        hoped = sorted(pairs, key=lambda pair: _glanced(case, school, *pair))[:PAIRS_TRIED]
        both = (_gain(case, school, likely, *pair) for pair in hoped)
        found = [lever for lever in both if lever][:1]
    return tuple(sorted(found, key=lambda lever: lever.likely_year or NEVER)[:MOST_LEVERS])


def _eased(case: Case, school: str, *offers: _Offer) -> tuple[Case, str]:
    for offer in offers:
        case, school = offer.eased(case, school)
    return case, school


def _glanced(case: Case, school: str, *offers: _Offer) -> int:
    """The likely year with some offers taken, found quickly."""
    found = _chosen(*_eased(case, school, *offers), glance)
    return NEVER if found is None or found[1] is None else found[1]


def _gain(case: Case, school: str, likely: int | None, *offers: _Offer) -> Lever | None:
    """What one offer gains, or two together; None where that is nothing."""
    found = _chosen(*_eased(case, school, *offers), find_routes)
    if found is None:
        return None
    route, likely_then = found
    if likely_then is None or (likely is not None and likely_then >= likely):
        return None
    grown = sum(state.place.kind == GROUND for state in route.states)
    texts = [
        f"{_years(grown)} in the ground" if offer.value == GROUND else offer.text
        for offer in offers
    ]
    other = offers[1] if len(offers) > 1 else None
    return Lever(
        code=offers[0].code,
        text=" and ".join(texts),
        value=offers[0].value,
        reached_year=route.year,
        likely_year=likely_then,
        gained_years=None if likely is None else likely - likely_then,
        with_code=None if other is None else other.code,
        with_value=None if other is None else other.value,
    )


def _chosen(
    case: Case, school: str, search: Callable[[PlanningProblem], Search]
) -> tuple[Route, int | None] | None:
    """The way recommended for a case, and its likely year; None where there is no way."""
    luck = 1.0
    if wants_layer(case):
        layered = lay(case, school)
        if layered is None:
            return None
        case, luck = layered.after, case.layer_success
    problem = PlanningProblem(case, school)
    found = search(problem)
    best, looks = recommended(problem, found.tradeoff(problem.rules.tradeoff_step))
    if best is None:
        return None
    # Every chance after a layer rests on its having taken.
    return best, looks[best.year].likely_year(problem.rules.likely_chance / luck)


def reached_year(case: Case, school: str) -> int | None:
    """The year recommended for a case, found quickly; a still better one may have been missed."""
    found = _chosen(case, school, glance)
    return None if found is None else found[0].year


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
            f"the budget of {share * 100:.0f}% a session",
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


def _offers(case: Case, school: str) -> list[_Offer]:
    """What the artist could do."""
    found = [*_containers(case), *_gap_work(case), *_lesser_targets(case)]
    if next_school := NEXT_SCHOOL.get(school):
        found.append(
            _Offer(
                "school", f"the {next_school} school", next_school, lambda c, _: (c, next_school)
            )
        )
    # With less crown to feed, more of the root may go.
    more = rules().top_reduction.max_factor
    if case.species.top_with_roots:
        found.append(
            _changed(
                "crown", "the crown brought down to match what goes below", None,
                lambda c: {"species": _with_budgets(c, more)},
            )
        )  # fmt: skip
    free = rules().worth(FREE_TO_TRY)
    if case.worth < free:
        found.append(
            _changed("worth", "the tree free to try on", FREE_TO_TRY, lambda _: {"worth": free})
        )
    if case.holds:
        found.append(
            _changed("hold", "without the years fixed by hand", None, lambda _: {"holds": ()})
        )
    return found


def _changed(
    code: str, text: str, value: float | str | None, change: Callable[[Case], Changes]
) -> _Offer:
    return _Offer(
        code, text, value, lambda case, school: (case.model_copy(update=change(case)), school)
    )


def _with_budgets(case: Case, factor: float) -> CaseSpecies:
    budget = case.species.budget
    larger = {school: min(1.0, factor * budget.of(school)) for school in SCHOOLS}
    return case.species.model_copy(update={"budget": budget.model_copy(update=larger)})


def _containers(case: Case) -> list[_Offer]:
    found = []
    for name, container in rules().containers.items():
        # The final pot is no place to grow in, and slower growth helps nobody.
        if name in case.offered or name == FINAL or container.growth < 1.0:
            continue
        text = f"a {name}"

        def offered(c: Case, name: str = name) -> Changes:
            return {"containers": (*c.offered, name)}

        found.append(_changed("container", text, name, offered))
    return found


def _gap_work(case: Case) -> list[_Offer]:
    """Grafts where the plan waits or does something else, and doing without grafts."""
    found = []
    wide = wide_gaps(case)
    grafted = [
        *(gap.model_copy(update={"method": "graft"}) for gap in case.gaps),
        *(gap for gap in wide if gap.width_deg and not any(_same_gap(gap, k) for k in case.gaps)),
    ]
    if any(gap not in case.gaps for gap in grafted):
        gaps = tuple(grafted)
        found.append(_changed("graft", "grafts into the gaps", None, lambda _: {"gaps": gaps}))
    if open_gaps(case):
        found.append(
            _changed("no_graft", "no grafts: wait for its own", None, lambda _: {"gaps": ()})
        )
    return found


def _same_gap(gap: Gap, other: Gap) -> bool:
    return angle_between(gap.from_deg, other.from_deg) < SAME_ROOT_DEG


def _lesser_targets(case: Case) -> list[_Offer]:
    target, (depth, length, width) = case.target, case.last_pot_mm
    found = []

    def eased(part: str, text: str, value: float, **more: float) -> None:
        found.append(
            _Offer(part, text, value, lambda c, s: (with_target(c, **{part: value}, **more), s))
        )

    ratio = round(target.spread_ratio - LESS_RATIO, 2)
    if ratio >= 1.0:
        eased("spread_ratio", f"a spread of {ratio:.2f} trunks", ratio)
    eased("pot_depth_mm", f"a last pot {depth + MORE_DEPTH_MM:.0f} mm deep", depth + MORE_DEPTH_MM)
    if length is not None and width is not None and case.state.ball_length_mm is not None:
        longer = length + MORE_LENGTH_MM
        text = f"a last pot {longer:.0f} mm long"
        eased("pot_length_mm", text, longer, pot_width_mm=width + MORE_LENGTH_MM * width / length)
    gap = target.largest_gap_deg + MORE_GAP_DEG
    if gap <= 360.0:
        eased("largest_gap_deg", f"a largest gap of {gap:.0f}°", gap)
    return found
