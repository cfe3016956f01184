"""Which rows raise the state version of which tree: the triggers, and how they are kept in place.

What is worked out of the records is kept in memory under these versions. They are raised inside the
transaction that writes, by SQLite itself, so a reader whose snapshot shows a version sees exactly
the rows that version stands for, whoever wrote them and however.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cache

from sqlalchemy import Connection, text

# Scopes that are no tree's: the settings that all trees are judged by, and soil and supplies.
SETTINGS, SHELF = 0, -1
# The trees a row belongs to, as SQL over the row (`{row}` is NEW or OLD), by table.
_OWN, _OF_SESSION = (
    "SELECT {row}.tree_id AS id",
    ("SELECT tree_id AS id FROM root_sessions WHERE id = {row}.session_id"),
)
_SETTINGS, _SHELF = f"SELECT {SETTINGS} AS id", f"SELECT {SHELF} AS id"
RAISED_BY: Mapping[str, str] = {
    "trees": "SELECT {row}.id AS id",
    "pots": (
        "SELECT id FROM trees WHERE pot_id = {row}.id "
        "UNION SELECT tree_id AS id FROM target_pots WHERE pot_id = {row}.id"
    ),
    **dict.fromkeys(("tree_answers", "cut_decisions", "root_findings"), _OF_SESSION),
    **dict.fromkeys(
        (
            *("bench_sessions", "gap_plans", "hand_measurements", "measurements", "photos"),
            *("plans", "root_regrowth", "root_sessions", "roots", "target_holds", "targets"),
            "target_pots",
            "tree_grafts",
        ),
        _OWN,
    ),
    **dict.fromkeys(("yard", "night_minima"), _SETTINGS),
    **dict.fromkeys(("soil_components", "soil_recipes", "supplies"), _SHELF),
}
# Nothing that is kept of a tree rests on these: taps, tasks, who may come in, what was set aside.
RAISING_NOTHING = frozenset(
    (
        *("api_tokens", "bench_entries", "bench_photos", "care_tasks", "eye_checks"),
        *("figure_changes", "foreign_rows", "guest_trees", "people", "pot_weights"),
        *("set_aside", "shared_experience", "shared_trees", "sign_ins", "state_versions"),
        "waterings",
    )
)
PREFIX = "state_version_"
_BODY = (
    "INSERT INTO state_versions (tree_id, version) SELECT id, 1 FROM ({trees}) WHERE true "
    "ON CONFLICT (tree_id) DO UPDATE SET version = version + 1;"
)


@cache
def triggers() -> Mapping[str, str]:
    """The statement that makes each trigger, by its name; no other trigger is Mirvo's own."""
    return dict(_triggers())


def _triggers() -> Iterator[tuple[str, str]]:
    for table, trees in RAISED_BY.items():
        for event, rows in (("insert", ["NEW"]), ("update", ["OLD", "NEW"]), ("delete", ["OLD"])):
            name = f"{PREFIX}{table}_{event}"
            # A row that passes to another tree changes both.
            body = " ".join(_BODY.format(trees=trees.format(row=row)) for row in rows)
            yield name, f"CREATE TRIGGER {name} AFTER {event.upper()} ON {table} BEGIN {body} END"


def drop_triggers(connection: Connection) -> None:
    """Take the triggers away, before tables are made anew: SQLite cannot rename under them."""
    for name in _standing(connection):
        if name.startswith(PREFIX):
            connection.execute(text(f'DROP TRIGGER "{name}"'))


def triggers_in_place(connection: Connection) -> bool:
    """Whether the database has exactly these triggers."""
    return _standing(connection) == triggers()


def put_triggers(connection: Connection) -> None:
    """Make the triggers; those a table lost when it was made anew come back."""
    drop_triggers(connection)
    for statement in triggers().values():
        connection.exec_driver_sql(statement)


def _standing(connection: Connection) -> dict[str, str]:
    query = "SELECT name, sql FROM sqlite_master WHERE type = 'trigger'"
    return {str(name): str(sql) for name, sql in connection.execute(text(query))}
