"""What the tree's plan proposes for the fields of a session."""

from __future__ import annotations

from mirvo.core.clock import clock_list
from mirvo.core.plan.records import PlannedStep
from mirvo.records.models import Tree


def proposed(step: PlannedStep | None, tree: Tree) -> dict[str, str | float]:
    """The planned value of each field the plan speaks of, as it is typed; lengths in mm.

    A tree that goes back into the kind of pot it stands in goes back into its own.
    """
    if step is None:
        return {}
    found: dict[str, str | float] = {"container_after": step.container}
    if tree.pot_id is not None and step.container == tree.container:
        found["pot_id"] = tree.pot_id
    if step.slice_mm:
        found["slice_mm"] = float(round(step.slice_mm))
    if step.grafts:
        found["graft_hours"] = clock_list(work.azimuth_deg for work in step.grafts)
    return found
