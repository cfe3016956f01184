"""When a target lies out of reach: which part fails, by how much, and what could be had."""

from __future__ import annotations

from mirvo.core.plan.case import Case
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import NearestTarget, TargetPart, Unreachable
from mirvo.core.plan.search import find_routes
from mirvo.core.plan.search import reachable as can_reach

# Nobody shows a tree in a deeper pot.
DEEPEST_POT_MM = 400


def with_target(case: Case, **changes: float) -> Case:
    """The same case with another target."""
    return case.model_copy(update={"target": case.target.model_copy(update=changes)})


def why_unreachable(case: Case, school: str) -> Unreachable:
    """What fails for one school within the horizon.

    The nearest target is one that is reachable, or None where none is.
    """
    # Strength before all: no other reason matters while the tree is weak.
    if case.strength == "weak":
        return _answer(
            school,
            "The tree is weak: no root session is planned before its strength is at least fair.",
            [TargetPart(part="strength")],
            None,
        )
    found = _by_part(case, school)
    if case.holds:
        # Perhaps the person shut the way without meaning to; that is said first.
        held_free = case.model_copy(update={"holds": ()})
        free = find_routes(PlanningProblem(held_free, school)).earliest
        if free is not None:
            text = (
                "The years fixed by hand leave no way: without them the target is reached in "
                f"{free.year}. {found.text}"
            )
            fails = (TargetPart(part="holds"), *found.fails)
            found = found.model_copy(update={"text": text, "fails": fails})
    return found


def _by_part(case: Case, school: str) -> Unreachable:
    # One part alone is the plainest answer; only then several together.
    for parts in (_ratio_alone, _gap_alone, _pot_alone, _all_together):
        found = parts(case, school)
        if found is not None:
            return found
    if case.faults:
        text = f"The faults cannot all be taken within {case.horizon} years on this budget."
        return _answer(school, text, [TargetPart(part="faults")], None)
    text = (
        f"No target can be met within {case.horizon} years with this budget, these "
        "containers and the years fixed by hand."
    )
    return _answer(school, text, [TargetPart(part="together")], None)


def _answer(
    school: str, text: str, fails: list[TargetPart], nearest: NearestTarget | None
) -> Unreachable:
    return Unreachable(school=school, text=text, fails=tuple(fails), nearest=nearest)


def _nearest(case: Case, **changes: float) -> NearestTarget:
    target = case.target
    wished = NearestTarget(
        spread_ratio=target.spread_ratio,
        largest_gap_deg=target.largest_gap_deg,
        pot_depth_mm=target.pot_depth_mm,
    )
    return wished.model_copy(update=changes)


def _ratio_alone(case: Case, school: str) -> Unreachable | None:
    best = best_ratio(case, school)
    if best is None:
        return None
    problem = PlanningProblem(case, school)
    lacking = round(case.target.spread_ratio - best, 2)
    why = (
        f"flare and trunk grow so that the ratio never passes {problem.ratio_limit:.2f}"
        if case.target.spread_ratio > problem.ratio_limit
        else f"growth brings it to {best:.2f} within {case.horizon} years"
    )
    return _answer(
        school,
        f"A spread of {case.target.spread_ratio:.2f} trunks is out of reach "
        f"by {lacking:.2f}: {why}.",
        [TargetPart(part="spread_ratio", by=lacking, unit="trunks")],
        _nearest(case, spread_ratio=best),
    )


def best_ratio(case: Case, school: str) -> float | None:
    """Largest ratio (two decimals, down) with the rest of the target met; None if never.

    A ratio that can be had shows that every lesser one can, so it is found by halving.
    """
    now = PlanningProblem(case, school).ratio(0.0)

    def reachable(hundredths: int) -> bool:
        return can_reach(PlanningProblem(with_target(case, spread_ratio=hundredths / 100), school))

    # In hundredths, as the target is entered.
    low, high = 100, int(max(now, case.target.spread_ratio) * 100) + 1
    # A ratio of one is a trunk without flare: if that fails, something else is in the way.
    if not reachable(low):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if reachable(middle) else (low, middle)
    return low / 100


def _gap_alone(case: Case, school: str) -> Unreachable | None:
    problem = PlanningProblem(case, school)
    gap = problem.largest_gap(len(problem.faults), True)
    # Rounded up to a whole degree, so that what is offered can surely be had.
    gap = -(-gap // 1)
    # A gap of 360° is no root at all, which no target can mean.
    if gap <= case.target.largest_gap_deg or gap > 360:
        return None
    if not can_reach(_with_gap(case, school, gap)):
        return None
    lacking = round(gap - case.target.largest_gap_deg)
    return _answer(
        school,
        f"A largest gap of {case.target.largest_gap_deg:.0f}° is out of reach by {lacking}°: with "
        f"all faults cut and the grafts named, {gap:.0f}° stay open. Graft into that gap too.",
        [TargetPart(part="largest_gap_deg", by=lacking, unit="deg")],
        _nearest(case, largest_gap_deg=gap),
    )


def _with_gap(case: Case, school: str, gap: float) -> PlanningProblem:
    """The case with a wider gap allowed but the same grafts made."""
    return PlanningProblem(with_target(case, largest_gap_deg=gap), school, grafts_for=case)


def _pot_alone(case: Case, school: str) -> Unreachable | None:
    wanted = int(case.target.pot_depth_mm)
    depth = _shallowest_pot(case, school, wanted)
    if depth is None:
        return None
    return _answer(
        school,
        f"A pot {case.target.pot_depth_mm:.0f} mm deep is out of reach by "
        f"{depth - wanted} mm within {case.horizon} years; {depth} mm can be had.",
        [TargetPart(part="pot_depth_mm", by=depth - wanted, unit="mm")],
        _nearest(case, pot_depth_mm=float(depth)),
    )


def _shallowest_pot(case: Case, school: str, wanted: int) -> int | None:
    """Least pot depth in whole mm that is reachable, by halving."""

    def reachable(depth: int) -> bool:
        deeper = with_target(case, pot_depth_mm=float(depth))
        return can_reach(PlanningProblem(deeper, school))

    low, high = wanted, DEEPEST_POT_MM
    if not reachable(high):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if reachable(middle) else (middle, high)
    return high


def _all_together(case: Case, school: str) -> Unreachable | None:
    """Several parts fail: keep the pot if it can be had, then the gap, then the ratio."""
    problem = PlanningProblem(case, school)
    gap = max(case.target.largest_gap_deg, -(-problem.largest_gap(len(problem.faults), True) // 1))
    # First the pot with all else easy, then the ratio in that pot: the order in which people
    # give way.
    easy = with_target(case, spread_ratio=1.0, largest_gap_deg=min(gap, 360.0))
    depth = case.target.pot_depth_mm
    if not can_reach(PlanningProblem(easy, school)):
        found = _shallowest_pot(easy, school, int(depth))
        if found is None:
            return None
        depth = float(found)
    eased = with_target(case, largest_gap_deg=min(gap, 360.0), pot_depth_mm=depth)
    ratio = best_ratio(eased, school)
    if ratio is None:
        return None
    nearest = _nearest(
        case,
        spread_ratio=min(ratio, case.target.spread_ratio),
        largest_gap_deg=min(gap, 360.0),
        pot_depth_mm=depth,
    )
    units = {"spread_ratio": "trunks", "largest_gap_deg": "deg", "pot_depth_mm": "mm"}
    off = {part: getattr(nearest, part) - getattr(case.target, part) for part in units}
    fails = [
        TargetPart(part=part, by=round(abs(off[part]), 2), unit=unit)
        for part, unit in units.items()
        # What was not given up is not named as failing.
        if abs(off[part]) > 1e-6
    ]
    return _answer(
        school,
        "Several parts of the target are out of reach together; the nearest that can be had is "
        f"{nearest.spread_ratio:.2f} trunks, gap {nearest.largest_gap_deg:.0f}°, "
        f"pot {nearest.pot_depth_mm:.0f} mm.",
        fails,
        nearest,
    )
