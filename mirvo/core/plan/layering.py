"""A ground layer: two years under packing, then a new flare that starts at the trunk.

It is made at the first session that may be; the old roots feed the tree until it is separated,
so neither session takes any feeding root, and the interval of root work does not bind the
separation. Then the old base goes with its faults and gaps, and the plan starts anew from the
layer's own shallow ball.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import USUAL_CONTAINER
from mirvo.core.plan.case import Case
from mirvo.core.plan.gaps import open_gaps
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.tree_state import TreeState, left_alone, start_state

TRAINING = USUAL_CONTAINER


@dataclass(frozen=True)
class Layered:
    """A ground layer in a plan.

    before : states of the years up to the separation, on the old roots. first : the year of
    the separation, on the new ones. after : the case from the end of that year.
    """

    made: int
    separated: int
    old: PlanningProblem
    before: list[TreeState]
    new: PlanningProblem
    first: TreeState
    after: Case


def wants_layer(case: Case) -> bool:
    """Whether a gap that must be closed is to be closed by a ground layer."""
    return any(gap.method == "ground layer" for gap in open_gaps(case))


def lay(case: Case, school: str) -> Layered | None:
    """The case with its ground layer made and separated; None when the horizon is too short."""
    old, table = PlanningProblem(case, school), PlanningProblem(case, school).rules
    end = case.last_year
    made = _next_session(old, case.today.year + 1, case.state.last_session_year, end)
    # No year within the plan allows the layer to be made.
    if made is None:
        return None
    separated = _next_session(old, made + table.layer_years, None, end - 1)
    if separated is None:
        return None
    tree, before = start_state(old), []
    # The old roots feed the tree on, and it grows.
    while tree.year < separated - 1:
        tree = left_alone(old, tree)
        before.append(tree)
    trunk = old.trunk_mm(tree.grown)
    # A young layer wants room; only where none is at hand it stays where it stands.
    container = TRAINING if TRAINING in case.offered else case.state.container
    state = case.state.model_copy(
        update={
            "trunk_diameter_mm": trunk,
            # A new flare begins at the bark: as wide as the trunk, and no wider.
            "spread_mm": trunk,
            "woody_depth_mm": table.min_ball_mm,
            "ball_depth_mm": table.layer_ball_mm,
            # A layer's ball is round and small, so its sides are in nobody's way.
            **dict.fromkeys(("ball_length_mm", "ball_width_mm")),
            **dict.fromkeys(("inner_depth_mm", "inner_length_mm", "inner_width_mm")),
            "last_session_year": separated,
            "last_session_strain": 0.0,
            # A young layer lives on few roots, so the year after is one of rest.
            "rest_until_year": None if _fixed(case, separated + 1) else separated + 1,
            "container": container,
            "matted": False,
            # A layer roots all round; its gaps are even until it is measured.
            "root_azimuths_deg": [360.0 * n / table.layer_roots for n in range(table.layer_roots)],
        }
    )
    start = case.model_copy(
        update={
            "today": date(separated - 1, 12, 31),
            "state": state,
            "faults": (),
            "gaps": (),
            # It was decided for roots that are gone with the old base.
            "first_session": None,
            "horizon_years": end - separated + 1,
        }
    )
    new = PlanningProblem(start, school)
    first = left_alone(new, start_state(new))
    grown = state.model_copy(
        update={
            "trunk_diameter_mm": new.trunk_mm(first.grown),
            "spread_mm": new.spread_mm(first.grown),
            "ball_depth_mm": first.ball,
        }
    )
    after = start.model_copy(
        update={
            "today": date(separated, 12, 31),
            "state": grown,
            "horizon_years": end - separated,
        }
    )
    return Layered(made, separated, old, before, new, first, after)


def _next_session(problem: PlanningProblem, year: int, last: int | None, end: int) -> int | None:
    """First year from `year` to `end` in which a session may be, before the final pot is fixed."""
    may = (y for y in range(year, end + 1) if problem.may_work(y, last, problem.rest_today))
    return next((y for y in may if not problem.must_be_potted(y)), None)


def _fixed(case: Case, year: int) -> bool:
    """Whether a session in a year is asked for by hand."""
    return any(hold.year == year and hold.allow == "session" for hold in case.holds)
