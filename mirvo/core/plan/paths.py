"""Three paths to a target, each with its steps, reasons, bindings and outlook."""

from __future__ import annotations

from typing import Any

from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.plan.case import Case, Gap
from mirvo.core.plan.forward import binding, levers
from mirvo.core.plan.ground import Ground
from mirvo.core.plan.label import UNGRAFTED, Label, graft_counts
from mirvo.core.plan.layering import Layered, lay, wants_layer
from mirvo.core.plan.outcomes import Outcomes, outcomes
from mirvo.core.plan.search import find_route
from mirvo.core.plan.sweep import Unsettled
from mirvo.core.plan.unreachable import why_unreachable

TOO_MANY = (
    "There are too many ways to try them all: give a shorter horizon, fewer faults or a "
    "shallower ball."
)


def plan(case: Case) -> dict[str, Any]:
    """The output contract of `mirvo plan`: gentle, steady and bold paths."""
    paths = [plan_school(case, school) for school in SCHOOLS]
    failed = [path["unreachable"] for path in paths if path["unreachable"] is not None]
    return {"paths": paths, "unreachable": failed[-1] if failed else None}


def plan_school(case: Case, school: str) -> dict[str, Any]:
    """One path. `reached_year` is None when the target is out of reach."""
    try:
        return _plan_school(case, school)
    except Unsettled:
        why = {"school": school, "text": TOO_MANY, "fails": [{"part": "search"}], "nearest": None}
        return _path(school, None, [{"code": "search", "text": TOO_MANY}], [], [], {}, why)


def _plan_school(case: Case, school: str) -> dict[str, Any]:
    layered = lay(case, school) if wants_layer(case) and case.strength != "weak" else None
    if layered is None:
        path = _plan_roots(case, school)
    else:
        path = _after_layer(layered, _plan_roots(layered.after, school))
    reached = path["reached_year"]
    if reached is not None and path["steps"]:
        first = path["steps"][0]["year"]
        path["binding"] += binding(case, school, reached, first)
    elif reached is not None and reached > case.today.year:
        text = "growth alone: it stands in its pot and nothing is to be cut"
        path["binding"].append({"code": "growth_alone", "text": text, "gained_years": 0})
    if reached is not None and case.target.year is not None:
        path["late_by_years"] = max(0, reached - case.target.year)
    return path


def forward(case: Case, school: str, reached: int | None) -> list[dict[str, Any]]:
    """What would bring a path forward, or within reach, with the years gained."""
    return [] if reached == case.today.year else levers(case, school, reached)


def _plan_roots(case: Case, school: str) -> dict[str, Any]:
    """The path on the roots that are there, with grafts and forks."""
    ground = Ground(case, school)
    route = find_route(ground)
    if route is None:
        why = why_unreachable(case, school)
        bound = [{"code": part["part"], "text": why["text"]} for part in why["fails"]]
        return _path(school, None, bound, [], [], {}, why)
    if not route.labels:
        text = "The target is already reached: the tree stands in its pot, flare and gap hold."
        bound = [{"code": "already_reached", "text": text}]
        return _path(school, route.reached, bound, [], [], {str(route.reached): 1.0}, None)
    labels = route.labels + _standing_on(ground, route.labels[-1])
    outlook = outcomes(ground, labels)
    chance = {
        str(label.year): round(value, 3)
        for label, value in zip(labels, outlook.chance, strict=True)
        if label.year >= route.reached
    }
    steps = [_step(ground, label) for label in route.labels if label.cut is not None]
    forecast = _forecasts(ground, labels, outlook)
    path = _path(school, route.reached, [], steps, forecast, chance, None)
    path["worst_strain"] = round(route.worst, 1)
    path["total_strain"] = round(route.total, 1)
    path["sessions"] = route.sessions
    return path


def _after_layer(layered: Layered, path: dict[str, Any]) -> dict[str, Any]:
    """A path that begins with a ground layer and goes on from its own flare."""
    luck = layered.old.case.layer_success
    before = _forecasts(layered.old, layered.before, outcomes(layered.old, layered.before))
    first = _forecasts(layered.new, [layered.first], outcomes(layered.new, [layered.first]))
    path["forecast"] = before + first + path["forecast"]
    path["steps"] = _layer_steps(layered) + path["steps"]
    path["sessions"] += 2
    path["chance_by_year"] = {
        year: round(chance * luck, 3) for year, chance in path["chance_by_year"].items()
    }
    text = (
        f"the ground layer: made in {layered.made}, separated in {layered.separated}, "
        "and its flare starts anew"
    )
    path["binding"].insert(0, {"code": "ground_layer", "text": text, "gained_years": 0})
    return path


def _layer_steps(layered: Layered) -> list[dict[str, Any]]:
    """The two sessions of a ground layer; neither takes any feeding root."""
    old, new = layered.old, layered.new
    standing = old.case.state
    at = {label.year: label for label in layered.before}
    made, last = at[layered.made], layered.before[-1]
    ball, woody = new.case.state.ball_depth_mm, new.case.state.woody_depth_mm
    common: dict[str, Any] = {
        "share": 0.0,
        "budget": round(old.budget, 4),
        "strain": 0.0,
        "faults": [],
        "fault_parts": {},
        "returned": [],
        "slice_mm": 0.0,
        "grafts": [],
        "forks": [],
    }
    years = layered.separated - layered.made
    first = {
        "year": layered.made,
        **common,
        "layer": "make",
        "container": standing.container,
        "ball_depth_mm": [round(made.ball, 1)] * 2,
        "woody_depth_mm": [round(made.woody, 1)] * 2,
        "reasons": [
            "A ground layer gives a new flare all round; the old roots feed the tree until then.",
            f"It takes with {old.case.layer_success * 100:.0f} % and needs {years} years.",
        ],
    }
    second = {
        "year": layered.separated,
        **common,
        "layer": "separate",
        "container": layered.first.container,
        "ball_depth_mm": [round(last.ball, 1), round(ball, 1)],
        "woody_depth_mm": [round(last.woody, 1), round(woody, 1)],
        "reasons": [
            "The old base goes with its faults and gaps; the new flare starts at the trunk.",
            "No root work in the year after: a young layer lives on few roots.",
        ],
    }
    return [first, second]


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


def _forecasts(ground: Ground, labels: list[Label], outlook: Outcomes) -> list[dict[str, Any]]:
    return [
        _forecast(ground, label, low, high)
        for label, low, high in zip(labels, outlook.low, outlook.high, strict=True)
    ]


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
    closed: list[Gap] = ground.open_gaps if label.graft_age == 0 else []
    new_roots = {
        method: [{"azimuth_deg": round(g.new_root_deg, 1)} for g in closed if g.method == method]
        for method in ("graft", "fork")
    }
    step = {
        "year": label.year,
        "share": round(cut.share, 4),
        "budget": round(ground.budget, 4),
        "strain": round(cut.strain, 1),
        "faults": list(parts),
        "fault_parts": parts,
        "returned": [fault.label for fault in ground.back(ground.years_on(before.ages))],
        "slice_mm": round(before.ball - cut.ball_mm, 1),
        "grafts": new_roots["graft"],
        "forks": new_roots["fork"],
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
    reasons = []
    if step["share"]:
        reasons.append(
            f"{step['share'] * 100:.0f} % of the feeding root goes, within the budget of "
            f"{step['budget'] * 100:.0f} %."
        )
    halves = [label for label, part in step["fault_parts"].items() if part < 1]
    if halves:
        reasons.append(f"Only half of {', '.join(halves)} fits this session; the rest later.")
    if step["returned"]:
        reasons.append(f"Grown back since and cut again: {', '.join(step['returned'])}.")
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
    if step["forks"]:
        reasons.append(
            "A root beside the gap is bent into it, or cut back to a fork that points there: "
            f"up to {ground.rules.fork_deg:.0f}°, counted from the end of "
            f"{step['year'] + ground.rules.graft_years}."
        )
    if not (step["share"] or step["faults"] or step["returned"] or step["grafts"] or step["forks"]):
        reasons.append("Nothing is cut: the tree changes its container or the year was fixed.")
    if step["container"] != before.container:
        factor = ground.containers[step["container"]].growth
        reasons.append(f"Into the {step['container']}: growth counts {factor:g} times a year.")
    return reasons
