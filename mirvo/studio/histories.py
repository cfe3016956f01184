"""What was recorded of one tree over the years; each of it is read once for a page."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session as Unit

from mirvo.records.database import once_a_page
from mirvo.records.models import MEASURED_FROM_ABOVE, Measurement, Session, Target


@once_a_page
def sessions_of(unit: Unit, tree_id: int) -> tuple[Session, ...]:
    """Sessions of a tree, newest first."""
    query = (
        select(Session)
        .where(Session.tree_id == tree_id)
        .order_by(Session.done_on.desc(), Session.id.desc())
    )
    return tuple(unit.scalars(query))


@once_a_page
def target_of(unit: Unit, tree_id: int) -> Target | None:
    """What the tree is worked toward, None where nothing is set."""
    return unit.get(Target, tree_id)


@once_a_page
def figures_over_years(unit: Unit, tree_id: int) -> tuple[tuple[date, dict[str, Any]], ...]:
    """Day and figures of every measurement from above, oldest first."""
    query = (
        select(Measurement.measured_on, Measurement.figures)
        .where(Measurement.tree_id == tree_id, MEASURED_FROM_ABOVE)
        .order_by(Measurement.measured_on, Measurement.id)
    )
    return tuple((day, figures) for day, figures in unit.execute(query))


@once_a_page
def measured_roots(
    unit: Unit, tree_id: int, until: date | None = None
) -> tuple[Measurement | None, list[dict[str, Any]]]:
    """The latest measurement with figures and its roots, those removed since left out."""
    query = select(Measurement).where(Measurement.tree_id == tree_id, MEASURED_FROM_ABOVE)
    if until is not None:
        query = query.where(Measurement.measured_on <= until)
    newest = query.order_by(Measurement.measured_on.desc(), Measurement.id.desc()).limit(1)
    found = unit.scalar(newest)
    if found is None or found.figures is None:
        return None, []
    gone = {
        root["label"]
        for session in sessions_of(unit, tree_id)
        for root in session.roots
        if root["action"] == "remove" and root.get("measurement_id") == found.id
    }
    return found, [root for root in found.figures["roots"] if root["label"] not in gone]
