"""New trees a session leaves: offcuts with root hair, and layers that were separated."""

from __future__ import annotations

from datetime import date, datetime

from mirvo.core.limits.trees import Origin, TreeFields
from mirvo.records.database import DbSession
from mirvo.records.models import Tree

MAX_OFFCUTS = 20


OFFSPRING_ORIGIN: dict[str, Origin] = {"offcut": "root cutting", "layer": "air layer"}


def put_offspring(
    db: DbSession, parent: Tree, what: str, count: int, day: date, now: datetime
) -> list[Tree]:
    """New trees from offcuts with root hair or a separated layer, their parent kept.

    what : "offcut" or "layer".
    """
    made = []
    for number in range(1, min(count, MAX_OFFCUTS) + 1):
        form = TreeFields(
            # The parent's name is cut so that the whole fits the column.
            name=f"{parent.name[:60]} {what} {day:%Y}-{number}",
            species_key=parent.species_key,
            origin=OFFSPRING_ORIGIN[what],
            acquired_on=day,
            separated_on=day,
            strength="fair",
            container="usual pot",
            note=f"{what.capitalize()} of {parent.name}.",
        )
        tree = Tree(**form.model_dump(), parent_id=parent.id, version=1)
        tree.created_at = tree.updated_at = now
        db.add(tree)
        made.append(tree)
    return made
