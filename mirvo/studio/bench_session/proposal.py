"""What the tree's plan proposes for the fields of a session."""

from __future__ import annotations

from collections.abc import Mapping

from mirvo.core.clock import clock_list
from mirvo.core.plan.records import PlannedStep
from mirvo.records.models import Tree


def proposed(
    step: PlannedStep | None, tree: Tree, pots: Mapping[str, int] | None = None
) -> dict[str, str | float]:
    """The planned value of each field the plan speaks of, as it is typed; lengths in mm.

    A tree that goes back into the kind of pot it stands in goes back into its own, unless the plan
    names another of the shelf. pots : number of each pot a plan may use, by its name there.
    """
    if step is None:
        return {}
    found: dict[str, str | float] = {"container_after": step.container}
    if step.pot is not None:
        if pots and step.pot in pots:
            found["pot_id"] = pots[step.pot]
    elif tree.pot_id is not None and step.container == tree.container:
        found["pot_id"] = tree.pot_id
    if step.slice_mm:
        found["slice_mm"] = float(round(step.slice_mm))
    if step.side_trim_mm and step.ball_length_mm and step.ball_width_mm:
        found["ball_length_after"] = float(round(step.ball_length_mm[1]))
        found["ball_width_after"] = float(round(step.ball_width_mm[1]))
    if step.grafts:
        found["graft_hours"] = clock_list(work.azimuth_deg for work in step.grafts)
    return found
