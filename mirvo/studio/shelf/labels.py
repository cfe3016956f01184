"""What the labels of trees say."""

from __future__ import annotations

from collections.abc import Collection
from datetime import date

from mirvo.formats.labels import Label
from mirvo.records.database import DbSession
from mirvo.studio.standing.tree_list import TreeRow, list_trees


def labels_of(
    db: DbSession, today: date, base: str, chosen: Collection[int] | None = None
) -> list[Label]:
    """Labels of the living trees, of the chosen ones alone where some are given.

    base : address of this studio that a phone can reach, with its last stroke.
    """
    return [
        _label(row, base)
        for row in list_trees(db, today)
        if row.tree.died_on is None and (chosen is None or row.tree.id in chosen)
    ]


def _label(row: TreeRow, base: str) -> Label:
    last = row.last_session
    opens = row.window.start
    return Label(
        row.tree.name,
        (
            row.species.name,
            row.species.scientific or "",
            "" if last is None else f"worked {_day(last)}",
            f"next {_day(opens)}",
        ),
        f"{base}trees/{row.tree.id}",
    )


def _day(day: date) -> str:
    return f"{day.day} {day:%b %Y}"
