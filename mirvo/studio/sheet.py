"""The tree page: everything about one tree that the sheet draws."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select

from mirvo.core.almanac import Species
from mirvo.core.season import Window
from mirvo.records.database import reading
from mirvo.records.models import (
    Measurement,
    Photo,
    Plan,
    Session,
    Target,
    Tree,
    Visit,
)
from mirvo.studio.context import Studio
from mirvo.studio.histories import figures_over_years, measured_roots, sessions_of, target_of
from mirvo.studio.plans import newest_plan, path_of_school
from mirvo.studio.species import species_of
from mirvo.studio.trees import due_window, load_tree, offspring
from mirvo.studio.visits import find_open_visit
from mirvo.studio.weather import expected_bud_swell, frost_after, frost_by_week


@dataclass(frozen=True)
class Sheet:
    """One tree, measured, recorded and planned; `history` runs oldest first."""

    tree: Tree
    species: Species
    measurement: Measurement | None
    roots: list[dict[str, Any]]
    sessions: list[Session]
    history: list[tuple[date, dict[str, Any]]]
    target: Target | None
    path: dict[str, Any] | None
    path_outdated: bool
    window: Window
    photos: list[Photo]
    today: date
    last_frost: str
    running: Visit | None
    bud_swell: date | None
    frost_nights: float
    frosty: list[float]
    parent: Tree | None
    children: list[Tree]


def sheet_of(studio: Studio, tree_id: int) -> Sheet:
    """All the tree page needs in a constant number of queries."""
    yard = studio.yard()
    with reading(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        species = species_of(yard, tree.species_key)
        measurement, roots = measured_roots(unit, tree_id)
        sessions = list(sessions_of(unit, tree_id))
        history = figures_over_years(unit, tree_id)
        target = target_of(unit, tree_id)
        plan = newest_plan(unit, tree_id)
        parent, children = offspring(unit, tree)
        running = find_open_visit(unit, tree_id)
        photos = list(
            unit.scalars(
                select(Photo)
                .where(Photo.tree_id == tree_id)
                .order_by(Photo.taken_on.desc(), Photo.id.desc())
            )
        )
    last = sessions[0].done_on if sessions else None
    window = due_window(yard, tree, species, last, studio.today)
    return Sheet(
        tree=tree,
        species=species,
        measurement=measurement,
        roots=roots,
        sessions=sessions,
        history=list(history),
        target=target,
        path=path_of_school(plan.result, yard.school) if plan and target else None,
        path_outdated=plan is not None and _changed_since(plan, sessions, measurement, target),
        window=window,
        photos=photos,
        today=studio.today,
        last_frost=yard.last_frost,
        running=running,
        bud_swell=expected_bud_swell(yard, species, window.year, studio.today),
        frost_nights=frost_after(yard, window.best),
        frosty=frost_by_week(yard),
        parent=parent,
        children=children,
    )


def _changed_since(
    plan: Plan, sessions: list[Session], measurement: Measurement | None, target: Target | None
) -> bool:
    """Whether anything the plan rests on was recorded after it was made."""
    moments = [session.created_at for session in sessions]
    moments += [row.updated_at for row in (measurement, target) if row is not None]
    return any(moment > plan.made_at for moment in moments)
