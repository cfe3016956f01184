"""When a target lies out of reach: which part fails, by how much, and what could be had."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil

from mirvo.core.almanac import rules
from mirvo.core.plan.case import FINAL, Case
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import NearestTarget, TargetPart, Unreachable
from mirvo.core.plan.search import find_routes, reachable
from mirvo.core.plan.sides import CLOSE

# Nobody shows a tree in a deeper pot.
DEEPEST_POT_MM = 400


def with_target(case: Case, **changes: float) -> Case:
    """The same case with another target; with other sizes no pot of the shelf is the last one."""
    update: dict[str, object] = {"target": case.target.model_copy(update=changes)}
    if any(name.startswith("pot_") for name in changes) and case.last_pot:
        depth, length, width = case.last_pot_mm
        sizes = {"pot_depth_mm": depth, "pot_length_mm": length, "pot_width_mm": width}
        update["target"] = case.target.model_copy(update={**sizes, **changes})
        update["pots"] = tuple(pot for pot in case.pots if pot.kind != FINAL)
    return case.model_copy(update=update)


def why_unreachable(case: Case, school: str) -> Unreachable:
    """What fails for one school within the horizon.

    The nearest target is one that is reachable, or None where none is.
    """
    # Strength before all: no other reason matters while the tree is weak.
    if case.strength == "weak":
        return _weak(case, school)
    if PlanningProblem(case, school).trunk_refuses:
        return _refused(case, school)
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


def _weak(case: Case, school: str) -> Unreachable:
    """A weak tree rests; what else is in the way is what would be if it were fair."""
    text = "The tree is weak: plan no root session before it is at least fair."
    fair = case.model_copy(update={"strength": "fair"})
    problem = PlanningProblem(fair, school)
    if problem.arrived_today or reachable(problem):
        return _answer(school, text, [TargetPart(part="strength")], None)
    then = why_unreachable(fair, school)
    return then.model_copy(
        update={
            "text": f"{text} Even then: {then.text}",
            "fails": (TargetPart(part="strength"), *then.fails),
        }
    )


def _refused(case: Case, school: str) -> Unreachable:
    """A pot that leaves less ball than the trunk can stand on."""
    asked, trunk = case.last_pot_mm[0], case.state.trunk_diameter_mm
    least = ceil(shallowest_pot_mm(case) - CLOSE)
    text = (
        f"A pot {asked:.0f} mm deep is too shallow for a trunk {trunk:.0f} mm thick; the "
        f"shallowest that suits it is {least} mm deep."
    )
    deeper = with_target(case, pot_depth_mm=float(least))
    lacking = TargetPart(part="pot_depth_mm", by=round(least - asked, 1), unit="mm")
    if reachable(PlanningProblem(deeper, school)):
        return _answer(school, text, [lacking], _nearest(deeper))
    then = why_unreachable(deeper, school)
    fails = [lacking, *(part for part in then.fails if part.part != "pot_depth_mm")]
    return _answer(school, f"{text} {then.text}", fails, then.nearest)


def shallowest_pot_mm(case: Case) -> float:
    """Inner depth of the shallowest pot that suits the trunk as it is today, mm."""
    table = rules().plan
    return case.least_left_mm + table.soil_layer_mm + table.rim_clearance_mm


def _by_part(case: Case, school: str) -> Unreachable:
    # One part alone is the plainest answer; only then several together.
    for parts in (_ratio_alone, _gap_alone, _pot_alone, _sides_alone, _all_together):
        found = parts(case, school)
        if found is not None:
            return found
    if case.faults:
        text = f"The faults cannot all be taken within {case.horizon} years on this limit."
        return _answer(school, text, [TargetPart(part="faults")], None)
    text = (
        f"No target can be met within {case.horizon} years with this limit, these "
        "containers and the years fixed by hand."
    )
    return _answer(school, text, [TargetPart(part="together")], None)


def _answer(
    school: str, text: str, fails: list[TargetPart], nearest: NearestTarget | None
) -> Unreachable:
    return Unreachable(school=school, text=text, fails=tuple(fails), nearest=nearest)


def _nearest(case: Case, **changes: float | None) -> NearestTarget:
    target = case.target
    asked = NearestTarget(
        spread_ratio=target.spread_ratio,
        largest_gap_deg=target.largest_gap_deg,
        pot_depth_mm=case.last_pot_mm[0],
    )
    return asked.model_copy(update=changes)


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

    def met(hundredths: int) -> bool:
        return reachable(PlanningProblem(with_target(case, spread_ratio=hundredths / 100), school))

    # In hundredths, as the target is entered.
    low, high = 100, int(max(now, case.target.spread_ratio) * 100) + 1
    # A ratio of one is a trunk without flare: if that fails, something else is in the way.
    if not met(low):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if met(middle) else (low, middle)
    return low / 100


def _gap_alone(case: Case, school: str) -> Unreachable | None:
    problem = PlanningProblem(case, school)
    gap = problem.largest_gap(problem.all_gone, True)
    # Rounded up to a whole degree, so that what is offered can surely be had.
    gap = -(-gap // 1)
    # A gap of 360° is no root at all, which no target can mean.
    if gap <= case.target.largest_gap_deg or gap > 360:
        return None
    if not reachable(_with_gap(case, school, gap)):
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
    asked = case.last_pot_mm[0]
    depth = _shallowest_pot(case, school, int(asked))
    if depth is None:
        return None
    lacking = round(depth - asked, 1)
    return _answer(
        school,
        f"A pot {asked:.0f} mm deep is out of reach by {lacking:.0f} mm within {case.horizon} "
        f"years; {depth} mm can be had.",
        [TargetPart(part="pot_depth_mm", by=lacking, unit="mm")],
        _nearest(case, pot_depth_mm=float(depth)),
    )


def _shallowest_pot(case: Case, school: str, wanted: int) -> int | None:
    """Least pot depth in whole mm that is reachable, by halving."""
    return _least_reachable(
        lambda depth: with_target(case, pot_depth_mm=float(depth)), school, wanted, DEEPEST_POT_MM
    )


def _least_reachable(eased: Callable[[int], Case], school: str, low: int, high: int) -> int | None:
    """Least whole number above `low` whose case is reachable, by halving; None if none up to
    `high` is."""

    def met(value: int) -> bool:
        return reachable(PlanningProblem(eased(value), school))

    if high <= low or not met(high):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if met(middle) else (middle, high)
    return high


def _sides_alone(case: Case, school: str) -> Unreachable | None:
    """A longer and wider last pot, where the ball's sides cannot be brought in so far."""
    sides = PlanningProblem(case, school).sides
    _, length, width = case.last_pot_mm
    if not sides.need or length is None or width is None:
        return None

    def larger(more: int) -> dict[str, float]:
        # A pair of sides that needs no more keeps its size.
        longer = min(more, max(0.0, sides.lengths_over(length)))
        wider = min(more, max(0.0, sides.widths_over(width)))
        return {"pot_length_mm": length + longer, "pot_width_mm": width + wider}

    most = _least_reachable(
        lambda more: with_target(case, **larger(more)), school, 0, 2 * sides.need
    )
    if most is None:
        return None
    sizes = larger(most)
    off = {"pot_length_mm": sizes["pot_length_mm"] - length}
    off["pot_width_mm"] = sizes["pot_width_mm"] - width
    fails = [
        TargetPart(part=part, by=round(by, 1), unit="mm") for part, by in off.items() if by > CLOSE
    ]
    return _answer(
        school,
        f"The sides of the ball cannot be brought in far enough within {case.horizon} years; a pot "
        f"{sizes['pot_length_mm']:.0f} x {sizes['pot_width_mm']:.0f} mm inside can be had.",
        fails,
        _nearest(case, **sizes),
    )


def _all_together(case: Case, school: str) -> Unreachable | None:
    """Several parts fail: keep the pot if it can be had, then the gap, then the ratio."""
    problem = PlanningProblem(case, school)
    gap = min(
        360.0,
        max(case.target.largest_gap_deg, -(-problem.largest_gap(problem.all_gone, True) // 1)),
    )
    # First the pot with all else easy, then the ratio in that pot: the order in which people
    # give way.
    sizes: dict[str, float] = {}
    easy = with_target(case, spread_ratio=1.0, largest_gap_deg=gap)
    if not reachable(PlanningProblem(easy, school)):
        found = (
            _pot_alone(easy, school) or _sides_alone(easy, school) or _pot_as_it_is(easy, school)
        )
        if found is None or found.nearest is None:
            return None
        sizes = {k: v for k, v in found.nearest.sizes.items() if k.startswith("pot_")}
    ratio = best_ratio(with_target(case, largest_gap_deg=gap, **sizes), school)
    if ratio is None:
        return None
    ratio = min(ratio, case.target.spread_ratio)
    nearest = _nearest(case, spread_ratio=ratio, largest_gap_deg=gap, **sizes)
    depth, length, width = case.last_pot_mm
    asked = {
        "spread_ratio": (case.target.spread_ratio, "trunks"),
        "largest_gap_deg": (case.target.largest_gap_deg, "deg"),
        "pot_depth_mm": (depth, "mm"),
        "pot_length_mm": (length, "mm"),
        "pot_width_mm": (width, "mm"),
    }
    fails = [
        TargetPart(part=part, by=round(abs(value - aim), 2), unit=unit)
        for part, value in nearest.sizes.items()
        for aim, unit in [asked[part]]
        # What was not given up is not named as failing.
        if aim is not None and abs(value - aim) > CLOSE
    ]
    return _answer(
        school,
        "Several parts of the target are out of reach together; the nearest that can be had is "
        f"{nearest.spread_ratio:.2f} trunks, gap {nearest.largest_gap_deg:.0f}°, "
        f"pot {nearest.pot_depth_mm:.0f} mm deep.",
        fails,
        nearest,
    )


def _pot_as_it_is(case: Case, school: str) -> Unreachable | None:
    """A last pot that takes the ball's sides untrimmed, as deep as it has to be."""
    state = case.state
    if not PlanningProblem(case, school).sides.need or state.ball_length_mm is None:
        return None
    room = 2 * rules().plan.side_room_mm
    sizes = {
        "pot_length_mm": state.ball_length_mm + room,
        "pot_width_mm": (state.ball_width_mm or 0.0) + room,
    }
    wide = with_target(case, **sizes)
    found = _pot_alone(wide, school)
    if found is None or found.nearest is None:
        return None
    return found.model_copy(update={"nearest": found.nearest.model_copy(update=sizes)})
