"""The sessions of a plan as people read them: what goes, what it takes, and why."""

from __future__ import annotations

from collections.abc import Iterable

from mirvo.core.plan.layering import Layered
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import GapWork, PlannedStep
from mirvo.core.plan.tree_state import Cut, TreeState


def steps_of(problem: PlanningProblem, states: Iterable[TreeState]) -> tuple[PlannedStep, ...]:
    """The sessions on a way, in order."""
    steps: list[PlannedStep] = []
    for tree in states:
        if tree.cut is not None:
            steps.append(_step(problem, tree, tree.cut, first=not steps))
    return tuple(steps)


def _step(problem: PlanningProblem, tree: TreeState, cut: Cut, first: bool) -> PlannedStep:
    parts = {root: round(part, 4) for root, part in cut.faults.parts.items()}
    grown_back = problem.back(problem.years_on(tree.ages_before))
    bearing = problem.bearing(tree.year)
    step = PlannedStep(
        year=tree.year,
        share=round(cut.share, 4),
        edge_share=round(problem.edge(tree.year), 4),
        budget=round(problem.budget(tree.year), 4),
        strain=round(100.0 * (cut.share / bearing) ** 2, 1),
        faults=tuple(parts),
        fault_parts=parts,
        returned=tuple(fault.label for fault in grown_back),
        slice_mm=round(tree.ball_before - cut.ball_mm, 1),
        grafts=_new_roots(problem, "graft") if first else (),
        forks=_new_roots(problem, "fork") if first else (),
        container=tree.container,
        ball_depth_mm=(round(tree.ball_before, 1), round(cut.ball_mm, 1)),
        woody_depth_mm=(round(tree.woody_before, 1), round(tree.woody, 1)),
    )
    reasons = tuple(_reasons(problem, step, tree, first))
    return step.model_copy(update={"reasons": reasons})


def _new_roots(problem: PlanningProblem, method: str) -> tuple[GapWork, ...]:
    aim = problem.case.target.largest_gap_deg
    gaps = (gap for gap in problem.open_gaps if gap.method == method)
    azimuths = (azimuth for gap in gaps for azimuth in gap.new_roots_deg(aim))
    return tuple(GapWork(azimuth_deg=round(azimuth, 1)) for azimuth in azimuths)


def _reasons(
    problem: PlanningProblem, step: PlannedStep, tree: TreeState, first: bool
) -> list[str]:
    edge = step.edge_share * 100
    reasons = [
        f"{step.share * 100:.0f} % of the feeding root goes, within the budget of "
        f"{step.budget * 100:.0f} %; {edge:.0f} % of it is the combed and trimmed edge."
    ]
    gone = {fault.label for fault in problem.faults[: tree.gone]}
    halved = [root for root in step.faults if root not in gone]
    if halved:
        reasons.append(f"Only a part of {', '.join(halved)} fits one session; the rest later.")
    if step.returned:
        reasons.append(f"Grown back since and cut again: {', '.join(step.returned)}.")
    if step.slice_mm > 0:
        reasons.append(
            f"{step.slice_mm:.0f} mm off the underside brings the ball to "
            f"{step.ball_after_mm:.0f} mm; the pot takes {problem.case.need_mm:.0f} mm."
        )
    counts = step.year + problem.rules.graft_years
    if step.grafts:
        reasons.append(
            "Grafts go in at the first session, in the first window there is; they count from the "
            f"end of {counts} if they take."
        )
    if step.forks:
        reasons.append(
            "A root beside the gap is bent into it, or cut back to a fork that points there: "
            f"up to {problem.rules.fork_deg:.0f}°, counted from the end of {counts}."
        )
    last = problem.case.state.last_session_year if first else None
    if step.year - problem.counted_from(last) >= problem.case.longest and first:
        reasons.append(
            f"It cannot be left longer: {problem.case.longest:g} years are the most between two "
            "sessions."
        )
    # Even then a reader wants to know why the year has a step at all.
    if not (step.faults or step.returned or step.grafts or step.forks or step.slice_mm):
        reasons.append("No root is cut beyond the edge: the session renews the soil.")
    if step.container != tree.container_before:
        factor = problem.growth_of(step.container)
        reasons.append(f"Into the {step.container}: growth counts {factor:g} times a year.")
    return reasons


def layer_steps(layered: Layered) -> tuple[PlannedStep, PlannedStep]:
    """The two sessions of a ground layer; neither takes any feeding root."""
    old, new = layered.old, layered.new
    at = {tree.year: tree for tree in layered.before}
    made, last = at[layered.made], layered.before[-1]
    ball, woody = new.case.state.ball_depth_mm, new.case.state.woody_depth_mm
    years = layered.separated - layered.made
    first = PlannedStep(
        year=layered.made,
        share=0.0,
        budget=round(old.budget(layered.made), 4),
        strain=0.0,
        layer="make",
        container=old.case.state.container,
        ball_depth_mm=(round(made.ball, 1), round(made.ball, 1)),
        woody_depth_mm=(round(made.woody, 1), round(made.woody, 1)),
        reasons=(
            "A ground layer gives a new flare all round; the old roots feed the tree until then.",
            f"It takes with {old.case.layer_success * 100:.0f} % and needs {years} years.",
        ),
    )
    second = PlannedStep(
        year=layered.separated,
        share=0.0,
        budget=round(old.budget(layered.separated), 4),
        strain=0.0,
        layer="separate",
        container=layered.first.container,
        ball_depth_mm=(round(last.ball, 1), round(ball, 1)),
        woody_depth_mm=(round(last.woody, 1), round(woody, 1)),
        reasons=(
            "The old base goes with its faults and gaps; the new flare starts at the trunk.",
            "No root work in the year after: a young layer lives on few roots.",
        ),
    )
    return first, second
