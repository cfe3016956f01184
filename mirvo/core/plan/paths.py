"""Three paths to a target, each with its steps, reasons, bindings and outlook."""

from __future__ import annotations

from typing import Any

from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.plan.case import Case
from mirvo.core.plan.ground import Ground
from mirvo.core.plan.outcomes import outcomes
from mirvo.core.plan.search import (
    UNGRAFTED,
    Label,
    Route,
    earliest_year,
    find_route,
    graft_counts,
)
from mirvo.core.plan.unreachable import why_unreachable

RELIEF = {
    "interval": "with a year between sessions",
    "budget": "with half as much again",
    "flare_growth": "with half as much again",
    "gap": "without waiting for grafts",
    "hold": "without them",
}


def plan(case: Case) -> dict[str, Any]:
    """The output contract of `mirvo plan`: gentle, steady and bold paths."""
    paths = [plan_school(case, school) for school in SCHOOLS]
    failed = [path["unreachable"] for path in paths if path["unreachable"] is not None]
    return {"paths": paths, "unreachable": failed[-1] if failed else None}


def plan_school(case: Case, school: str) -> dict[str, Any]:
    """One path. `reached_year` is None when the target is out of reach."""
    ground = Ground(case, school)
    route = find_route(ground)
    if route is None:
        why = why_unreachable(case, school)
        binding = [{"code": part["part"], "text": why["text"]} for part in why["fails"]]
        return _path(school, None, binding, [], [], {}, why)
    if not route.labels:
        text = "The target is already reached: the tree stands in its pot, flare and gap hold."
        binding = [{"code": "already_reached", "text": text}]
        return _path(school, route.reached, binding, [], [], {str(route.reached): 1.0}, None)
    labels = route.labels + _standing_on(ground, route.labels[-1])
    outlook = outcomes(ground, labels)
    chance = {
        str(label.year): round(value, 3)
        for label, value in zip(labels, outlook.chance, strict=True)
        if label.year >= route.reached
    }
    forecast = [
        _forecast(ground, label, low, high)
        for label, low, high in zip(labels, outlook.low, outlook.high, strict=True)
    ]
    steps = [_step(ground, label) for label in route.labels if label.cut is not None]
    path = _path(school, route.reached, _binding(ground, route), steps, forecast, chance, None)
    path["worst_strain"] = round(route.worst, 1)
    path["total_strain"] = round(route.total, 1)
    path["sessions"] = route.sessions
    path["late_by_years"] = (
        None if case.target.year is None else max(0, route.reached - case.target.year)
    )
    return path


def _path(
    school: str,
    reached: int | None,
    binding: list[dict[str, Any]],
    steps: list[dict[str, Any]],
    forecast: list[dict[str, Any]],
    chance: dict[str, float],
    unreachable: dict[str, Any] | None,
) -> dict[str, Any]:
    return {
        "school": school,
        "reached_year": reached,
        "binding": binding,
        "steps": steps,
        "forecast": forecast,
        "chance_by_year": chance,
        "worst_strain": 0.0,
        "total_strain": 0.0,
        "sessions": 0,
        "late_by_years": None,
        "unreachable": unreachable,
    }


def _standing_on(ground: Ground, label: Label) -> list[Label]:
    """The years after arrival up to the horizon, nothing more done."""
    later = []
    end = ground.case.today.year + ground.case.horizon_years
    while label.year < end:
        age = label.graft_age
        label = label._replace(
            year=label.year + 1,
            grown=label.grown + ground.growth_of_year(label.container, 0.0),
            ball=ground.ball_after_year(label.ball, label.container),
            graft_age=age if age == UNGRAFTED else min(age + 1, ground.rules.graft_years),
            cut=None,
            before=label,
        )
        later.append(label)
    return later


def _forecast(ground: Ground, label: Label, low: float, high: float) -> dict[str, Any]:
    gap = ground.largest_gap(label.halves, graft_counts(ground, label.graft_age))
    return {
        "year": label.year,
        "spread_mm": round(ground.spread_mm(label.grown), 1),
        "trunk_diameter_mm": round(ground.trunk_mm(label.grown), 1),
        "spread_ratio": round(ground.ratio(label.grown), 2),
        "low": round(low, 2),
        "high": round(high, 2),
        "woody_depth_mm": round(label.woody, 1),
        "ball_depth_mm": round(label.ball, 1),
        "largest_gap_deg": round(gap, 1),
        "container": label.container,
    }


def _step(ground: Ground, label: Label) -> dict[str, Any]:
    cut, before = label.cut, label.before
    if cut is None or before is None:
        raise ValueError("a step is a label with a cut and a year before it")
    parts = fault_parts(ground, before.halves, cut.halves)
    grafts = (
        [{"azimuth_deg": round(a, 1)} for a in ground.open_gaps] if label.graft_age == 0 else []
    )
    step = {
        "year": label.year,
        "share": round(cut.share, 4),
        "budget": round(ground.budget, 4),
        "strain": round(cut.strain, 1),
        "faults": list(parts),
        "fault_parts": parts,
        "slice_mm": round(before.ball - cut.ball_mm, 1),
        "grafts": grafts,
        "container": label.container,
        "ball_depth_mm": [round(before.ball, 1), round(cut.ball_mm, 1)],
        "woody_depth_mm": [round(before.woody, 1), round(label.woody, 1)],
    }
    step["reasons"] = _reasons(ground, step, before)
    return step


def fault_parts(ground: Ground, start: int, end: int) -> dict[str, float]:
    """Part of each fault root taken between two counts of halves, 0.5 or 1."""
    parts: dict[str, float] = {}
    for half in range(start, end):
        label = ground.faults[half // 2].label
        parts[label] = parts.get(label, 0.0) + 0.5
    return parts


def _reasons(ground: Ground, step: dict[str, Any], before: Label) -> list[str]:
    reasons = [
        f"{step['share'] * 100:.0f} % of the feeding root goes, within the budget of "
        f"{step['budget'] * 100:.0f} %."
    ]
    halves = [label for label, part in step["fault_parts"].items() if part < 1]
    if halves:
        reasons.append(f"Only half of {', '.join(halves)} fits this session; the rest later.")
    if step["slice_mm"] > 0:
        reasons.append(
            f"{step['slice_mm']:.0f} mm off the underside brings the ball to "
            f"{step['ball_depth_mm'][1]:.0f} mm; the pot takes {ground.case.need_mm:.0f} mm."
        )
    if step["grafts"]:
        reasons.append(
            f"Grafts go in at the first session; they count from the end of "
            f"{step['year'] + ground.rules.graft_years} if they take."
        )
    if step["container"] != before.container:
        factor = ground.containers[step["container"]].growth
        reasons.append(f"Into the {step['container']}: growth counts {factor:g} times a year.")
    return reasons


def _binding(ground: Ground, route: Route) -> list[dict[str, Any]]:
    """What holds the year back: each limit whose lifting alone would bring it forward."""
    found = []
    for code, eased, text in _easings(ground, route):
        year = earliest_year(eased, by=route.reached - 1)
        if year is not None and year < route.reached:
            gained = route.reached - year
            years = "a year" if gained == 1 else f"{gained} years"
            found.append(
                {
                    "code": code,
                    "text": text,
                    "gained_years": gained,
                    "eased": f"{RELIEF[code]} {years} sooner",
                }
            )
    if not found:
        text = "No single limit: each alone leaves the year as it is."
        found.append({"code": "together", "text": text, "gained_years": 0, "eased": ""})
    return found


def _easings(ground: Ground, route: Route) -> list[tuple[str, Ground, str]]:
    case, school = ground.case, ground.school
    growth = case.state.growth
    last = [label.year for label in route.labels if label.cut is not None]
    first = last[0] if last else route.reached
    eased = [
        (
            "interval",
            case.model_copy(
                update={"species": case.species.model_copy(update={"interval_years": 1.0})}
            ),
            f"the interval of {case.interval:g} years between sessions (first in {first})",
        ),
        (
            "budget",
            case.model_copy(
                update={
                    "species": case.species.model_copy(
                        update={
                            "budget": case.species.budget.model_copy(
                                update={school: min(1.0, 1.5 * case.species.budget.of(school))}
                            )
                        }
                    )
                }
            ),
            f"the budget of {ground.budget * 100:.0f} % a session",
        ),
        (
            "flare_growth",
            case.model_copy(
                update={
                    "state": case.state.model_copy(
                        update={
                            "growth": growth.model_copy(
                                update={"spread_mm_per_year": growth.spread_mm_per_year * 1.5}
                            )
                        }
                    )
                }
            ),
            f"flare growth of {growth.spread_mm_per_year:.1f} mm a year",
        ),
        (
            "gap",
            case.model_copy(
                update={"target": case.target.model_copy(update={"largest_gap_deg": 360.0})}
            ),
            "the time a graft needs to count",
        ),
        ("hold", case.model_copy(update={"holds": []}), "the years held free"),
    ]
    return [(code, Ground(other, school), text) for code, other, text in eased]
