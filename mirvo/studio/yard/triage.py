"""Is it time? The evidence of a tree's records put beside what is seen today."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from mirvo.core.rootwork import kind_by_key
from mirvo.core.season import window_of
from mirvo.core.season.triage import TOGGLES, Evidence, Triage, triage
from mirvo.records.database import DbSession
from mirvo.studio.almanac.practice import practice_for
from mirvo.studio.almanac.species import species_of
from mirvo.studio.records.aftercare import rhythm_of
from mirvo.studio.tree_queries import load_tree, sessions_of
from mirvo.studio.yard.settings import yard_of
from mirvo.studio.yard.weather import outlook_for

KNOWN = ("water_dish",)
SEEN_TODAY = tuple(name for name in TOGGLES if name not in ("water_dish", "foreign_soil"))


def is_it_time(
    db: DbSession,
    today: date,
    tree_id: int,
    seen: Mapping[str, bool],
    days_between: float | None = None,
) -> tuple[Evidence, Triage]:
    """Evidence and verdict for a tree.

    Parameters
    ----------
    seen : which of `SEEN_TODAY` hold. days_between : between waterings now, when it was given;
    else as tapped of late.
    """
    tree, yard = load_tree(db, tree_id), yard_of(db)
    sessions = sessions_of(db, tree_id)
    full = [session for session in sessions if not kind_by_key(session.kind).only_delays]
    delays = sessions.index(full[0]) if full else len(sessions)
    species, rhythm = species_of(yard, tree.species_key), rhythm_of(db, tree_id)
    signs: dict[str, Any] = {name: bool(seen.get(name)) for name in SEEN_TODAY}
    evidence = Evidence(
        years_since=(today - full[0].done_on).days / 365.25 if full else None,
        interval_years=species.interval_for(tree.age_class),
        window=window_of(
            species,
            yard.last_frost,
            today,
            today,
            outlook_for(yard, tree, species, today),
        ).state,
        strength=tree.strength,
        stage=tree.stage,
        when=practice_for(yard, tree)["when"],
        delays=delays,
        days_between=days_between,
        days_usual=rhythm.days_between,
        water_dish=tree.water_dish,
        foreign_soil=bool(tree.foreign_soil),
        **signs,
    )
    return evidence, triage(evidence)
