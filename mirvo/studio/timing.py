"""Is it time? The evidence of a tree's records put beside what is seen today."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from mirvo.core.rootwork import kind_by_key
from mirvo.core.season import window_of
from mirvo.core.season.triage import TOGGLES, Evidence, Triage, triage
from mirvo.records.database import reading
from mirvo.records.models import Session
from mirvo.studio.care import rhythm_of
from mirvo.studio.context import Studio
from mirvo.studio.practice import practice_for
from mirvo.studio.species import species_of
from mirvo.studio.trees import get_tree
from mirvo.studio.weather import outlook_for

KNOWN = ("water_dish",)
SEEN_TODAY = tuple(name for name in TOGGLES if name not in ("water_dish", "foreign_soil"))


def is_it_time(
    studio: Studio, tree_id: int, seen: dict[str, bool], days_between: float | None = None
) -> tuple[Evidence, Triage]:
    """Evidence and verdict for a tree.

    Parameters
    ----------
    seen : which of `SEEN_TODAY` hold. days_between : between waterings now, when it was told;
    else as tapped of late.
    """
    tree, yard = get_tree(studio, tree_id), studio.yard()
    with reading(studio.engine) as unit:
        rows = unit.execute(
            select(Session.kind, Session.done_on)
            .where(Session.tree_id == tree_id)
            .order_by(Session.done_on.desc(), Session.id.desc())
        ).all()
    delays = 0
    for kind, _ in rows:
        if not kind_by_key(kind).only_delays:
            break
        delays += 1
    full = [day for kind, day in rows if not kind_by_key(kind).only_delays]
    species, rhythm = species_of(yard, tree.species_key), rhythm_of(studio, tree_id)
    told: dict[str, Any] = {name: bool(seen.get(name)) for name in SEEN_TODAY}
    evidence = Evidence(
        years_since=(studio.today - full[0]).days / 365.25 if full else None,
        interval_years=species.interval_for(tree.age_class),
        window=window_of(
            species,
            yard.last_frost,
            studio.today,
            studio.today,
            outlook_for(yard, tree, species, studio.today),
        ).state,
        strength=tree.strength,
        stage=tree.stage,
        when=practice_for(yard, tree)["when"],
        delays=delays,
        days_between=days_between,
        days_usual=rhythm.days_between,
        water_dish=tree.water_dish,
        foreign_soil=bool(tree.foreign_soil),
        **told,
    )
    return evidence, triage(evidence)
