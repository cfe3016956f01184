"""The sessions of a plan as people read them: what goes, what it takes, and why."""

from __future__ import annotations

from collections.abc import Iterable
from math import ceil

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.layering import Layered
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import GapWork, PlannedStep
from mirvo.core.plan.sides import CLOSE
from mirvo.core.plan.tree_state import TreeState

PotInside = tuple[float, float | None, float | None]


def steps_of(
    problem: PlanningProblem, states: Iterable[TreeState], keeping: bool = False
) -> tuple[PlannedStep, ...]:
    """The sessions on a way, in order. keeping : they only keep the tree where it is."""
    worked = (tree for tree in states if tree.cut is not None)
    return tuple(_step(problem, tree, keeping) for tree in worked)


def _step(problem: PlanningProblem, tree: TreeState, keeping: bool) -> PlannedStep:
    cut, before = tree.session
    sides, first = problem.sides, not before.worked
    parts = {root: round(part, 4) for root, part in cut.faults.parts.items()}
    grown_back = problem.back(problem.years_on(before.ages))
    offs = np.array([before.off, cut.off_mm])
    trim = cut.off_mm - before.off
    edge = max(problem.edge(tree.year), float(sides.share(offs[:1], offs[1:] - offs[:1])[0]))
    step = PlannedStep(
        year=tree.year,
        share=round(cut.share, 4),
        edge_share=round(edge, 4),
        budget=round(problem.budget(tree.year), 4),
        strain=round(problem.strain(tree.year, cut.share), 1),
        faults=tuple(parts),
        fault_parts=parts,
        returned=tuple(fault.label for fault in grown_back),
        slice_mm=round(before.ball - cut.ball_mm, 1),
        side_trim_mm=trim,
        grafts=_new_roots(problem, "graft") if first else (),
        forks=_new_roots(problem, "fork") if first else (),
        keeping=True if keeping else None,
        container=tree.place.kind,
        pot=tree.place.pot,
        pot_inside_mm=_inside(problem, tree.place.pot),
        ball_depth_mm=(round(before.ball, 1), round(cut.ball_mm, 1)),
        ball_length_mm=_pair(sides.lengths(offs)) if sides.need else None,
        ball_width_mm=_pair(sides.widths(offs)) if sides.need else None,
        woody_depth_mm=(round(before.woody, 1), round(tree.woody, 1)),
    )
    return step.model_copy(update={"reasons": tuple(_reasons(problem, step, tree))})


def _inside(problem: PlanningProblem, name: str | None) -> PotInside | None:
    """Depth, length and width inside of a pot of the shelf, mm."""
    pot = next((pot for pot in problem.case.pots if pot.name == name), None)
    return None if pot is None else (pot.inner_depth_mm, pot.inner_length_mm, pot.inner_width_mm)


def _pair(sizes: npt.NDArray[np.float64]) -> tuple[float, float]:
    return round(float(sizes[0]), 1), round(float(sizes[1]), 1)


def _new_roots(problem: PlanningProblem, method: str) -> tuple[GapWork, ...]:
    aim = problem.case.target.largest_gap_deg
    gaps = (gap for gap in problem.open_gaps if gap.method == method)
    azimuths = (azimuth for gap in gaps for azimuth in gap.new_roots_deg(aim))
    return tuple(GapWork(azimuth_deg=round(azimuth, 1)) for azimuth in azimuths)


def _reasons(problem: PlanningProblem, step: PlannedStep, tree: TreeState) -> list[str]:
    _, before = tree.session
    first, edge = not before.worked, step.edge_share * 100
    against = "over" if step.share > step.budget + CLOSE else "within"
    reasons = [
        f"{step.share * 100:.0f}% of the fine roots go, {against} the limit of "
        f"{step.budget * 100:.0f}%; {edge:.0f}% of it is the combed and trimmed edge."
    ]
    if problem.cuts_decided(step.year) is not None:
        reasons.append("The roots are those decided by hand; the rest is planned around them.")
    lefts = {fault.label: left for fault, left in zip(problem.faults, tree.progress, strict=True)}
    halved = [root for root in step.faults if lefts[root] > 0]
    if halved:
        reasons.append(
            f"{', '.join(halved)}: too much root for one session. Part goes now, the rest later."
        )
    waiting = [root for root, left in lefts.items() if left == 1.0]
    if waiting and first and not step.keeping:
        reasons.append(f"{', '.join(waiting)} must wait for a later session.")
    if step.returned:
        reasons.append(f"Grown back and cut again: {', '.join(step.returned)}.")
    if step.slice_mm > 0:
        reasons.append(
            f"{step.slice_mm:.0f} mm off the underside leaves a ball {step.ball_after_mm:.0f} mm "
            f"deep; the last pot takes {problem.case.need_mm:.0f} mm."
        )
    if step.side_trim_mm > 0 and step.ball_length_mm and step.ball_width_mm:
        reasons.append(
            f"{step.side_trim_mm} mm off each side leaves a ball {step.ball_length_mm[1]:.0f} x "
            f"{step.ball_width_mm[1]:.0f} mm."
        )
    counts = step.year + problem.rules.graft_years
    if step.grafts:
        reasons.append(
            "Grafts go in at the first session, in the first window; those that take count from "
            f"the end of {counts}."
        )
    if step.forks:
        reasons.append(
            "Bend a root beside the gap into it, or cut it back to a fork that points there: up to "
            f"{problem.rules.fork_deg:.0f}°, counted from the end of {counts}."
        )
    if year_by_which_due(problem, before) == step.year and first:
        reasons.append(
            f"It cannot wait longer: {problem.most_years(before.rest):g} years are the most "
            "between two sessions."
        )
    # Even then a reader wants to know why the year has a step at all.
    cut = step.faults or step.returned or step.slice_mm or step.side_trim_mm
    if not (cut or step.grafts or step.forks):
        reasons.append("No root is cut beyond the edge: the session renews the soil.")
    if step.keeping:
        reasons.append(
            "It goes back into the same pot. Look for roots that thicken, cross or rise."
        )
    elif (step.container, step.pot) != (before.place.kind, before.place.pot):
        pot = f"{step.pot}, a {step.container}" if step.pot else f"the {step.container}"
        reasons.append(f"Into {pot}: growth counts {tree.place.growth:g} times a year.")
    return reasons


def year_by_which_due(problem: PlanningProblem, tree: TreeState) -> int:
    """The year by which a tree must be worked, or it is root-bound."""
    most = problem.most_years(tree.rest)
    return ceil(problem.counted_from(tree.last) + most - CLOSE)


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
            f"It takes with {old.case.layer_success * 100:.0f}% and needs {years} years.",
        ),
    )
    second = PlannedStep(
        year=layered.separated,
        share=0.0,
        budget=round(old.budget(layered.separated), 4),
        strain=0.0,
        layer="separate",
        container=layered.first.place.kind,
        ball_depth_mm=(round(last.ball, 1), round(ball, 1)),
        woody_depth_mm=(round(last.woody, 1), round(woody, 1)),
        reasons=(
            "The old base goes with its faults and gaps; the new flare starts at the trunk.",
            "No root work in the year after: a young layer lives on few roots.",
        ),
    )
    return first, second
