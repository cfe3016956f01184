"""Days and words that no way in would take are refused by the tables too; rows that hold some are
set aside first."""

from datetime import UTC, datetime

import sqlalchemy as sa
from alembic import op

from mirvo.records.set_aside import note_rows, note_value, take_out

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

OWN_NUMBERS = ("trees", "root_sessions", "photos", "measurements", "hand_measurements")
FIRST, LAST = "1600-01-01", "2200-12-31"
# Days by table; those that may be empty first.
DAYS = {
    "trees": ("acquired_on", "moved_to", "buds_seen_on", "potted_on", "strength_said_on", "died_on"),
    "tree_grafts": ("grafted_on",),
    "roots": ("first_seen_on", "gone_on"),
    "root_sessions": ("done_on",),
    "photos": ("taken_on",),
    "measurements": ("measured_on",),
    "hand_measurements": ("measured_on",),
    "care_tasks": ("since", "due"),
    "tree_answers": ("shoots_on", "seen_on"),
    "waterings": ("watered_on",),
    "night_minima": ("day",),
    "figure_changes": ("changed_on",),
    "shared_experience": ("taken_in_on",),
}
BUDS = ("", "dormant", "buds swelling", "buds opening", "leaves out", "hardened", "leaf fall")
# Words by table and column, the one that takes the place of any other first.
WORDS = {
    ("trees", "origin"): (
        "nursery container", "field grown", "dug from a garden", "collected with permission",
        "seed", "cutting", "root cutting", "air layer", "graft", "division",
        "volunteer seedling", "bare-root purchase",
    ),
    ("trees", "stage"): ("growing", "refining", "showing"),
    ("trees", "worth"): ("heirloom", "usual", "free to try"),
    ("trees", "buds_seen"): BUDS,
    ("root_sessions", "kind"): (
        "routine", "first", "collection", "raise", "re-angle", "slip-pot", "edge-cut", "base-lift",
        "top-up", "grow-out", "change-soil", "emergency", "layer", "exposed-root", "graft",
    ),
    ("root_sessions", "bud_stage"): BUDS,
    ("root_sessions", "fine_roots"): ("mostly below", "even", "mostly at the surface"),
    ("photos", "kind"): (
        "top", "side", "before", "after", "follow-up", "crown", "wound", "pot", "other",
    ),
}
USUAL = {("trees", "worth"): "usual", ("root_sessions", "fine_roots"): "even", ("photos", "kind"): "other"}


def upgrade() -> None:
    op.create_table(
        "set_aside",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("why", sa.String(10), nullable=False),
        sa.Column("table_name", sa.String(40), nullable=False),
        sa.Column("row_number", sa.Integer(), nullable=False),
        sa.Column("column_name", sa.String(40), nullable=False),
        sa.Column("value", sa.String(), nullable=False),
        sa.Column("rows", sa.String(), nullable=False),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("sentence", sa.String(300), nullable=False),
        sa.Column("set_aside_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint("why IN ('deleted', 'limits')", name=op.f("ck_set_aside_why")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_set_aside")),
        sqlite_autoincrement=True,
    )
    op.add_column(
        "people", sa.Column("reset_hash", sa.String(64), nullable=False, server_default="")
    )
    op.add_column("people", sa.Column("reset_until", sa.DateTime()))
    connection = op.get_bind()
    kept = connection.connection.driver_connection
    _set_aside(kept, datetime.now(UTC))
    given = dict(kept.execute("SELECT name, seq FROM sqlite_sequence").fetchall())
    for table in sorted(set(DAYS) | {table for table, _ in WORDS}):
        # SQLite adds no CHECK to a table that is there; the table is made anew with its rows.
        kinds = {"sqlite_autoincrement": table in OWN_NUMBERS}
        with op.batch_alter_table(table, recreate="always", table_kwargs=kinds) as batch:
            for column in DAYS.get(table, ()):
                within = f"{column} BETWEEN '{FIRST}' AND '{LAST}'"
                batch.create_check_constraint(op.f(f"ck_{table}_{column}"), sa.text(within))
            for (of, column), words in WORDS.items():
                if of == table:
                    listed = ", ".join(f"'{word}'" for word in words)
                    said = sa.text(f"{column} IN ({listed})")
                    batch.create_check_constraint(op.f(f"ck_{table}_{column}"), said)
    # Numbers that were given once are never given again, also those of rows that are gone.
    for table, highest in given.items():
        if table in OWN_NUMBERS:
            kept.execute("DELETE FROM sqlite_sequence WHERE name = ?", (table,))
            kept.execute("INSERT INTO sqlite_sequence (name, seq) VALUES (?, ?)", (table, highest))


def _set_aside(kept, at) -> None:
    for (table, column), words in WORDS.items():
        marks = ", ".join("?" for _ in words)
        asked = f'SELECT rowid, "{column}" FROM "{table}" WHERE "{column}" NOT IN ({marks})'
        for row, value in kept.execute(asked, words).fetchall():
            said = f"“{str(value)[:60]}” is not one of {', '.join(word for word in words if word)}."
            note_value(kept, (table, row, column), value, _label(kept, table, row), said, at)
            usual = USUAL.get((table, column), words[0])
            kept.execute(f'UPDATE "{table}" SET "{column}" = ? WHERE rowid = ?', (usual, row))
    for table, columns in DAYS.items():
        needed = {info[1] for info in kept.execute(f'PRAGMA table_info("{table}")') if info[3] or info[5]}
        for column in columns:
            asked = (
                f'SELECT rowid, "{column}" FROM "{table}" '
                f'WHERE "{column}" NOT BETWEEN \'{FIRST}\' AND \'{LAST}\''
            )
            for row, value in kept.execute(asked).fetchall():
                if kept.execute(f'SELECT 1 FROM "{table}" WHERE rowid = ?', (row,)).fetchone() is None:
                    continue
                label = _label(kept, table, row)
                said = f"{value} lies outside the years 1600 to 2200."
                if column not in needed:
                    note_value(kept, (table, row, column), value, label, said, at)
                    kept.execute(f'UPDATE "{table}" SET "{column}" = NULL WHERE rowid = ?', (row,))
                else:
                    note_rows(kept, take_out(kept, table, row), "limits", label, said, at, column)


def _label(kept, table, row) -> str:
    named = {info[1] for info in kept.execute(f'PRAGMA table_info("{table}")')}
    if "tree_id" in named:
        asked = (
            f'SELECT trees.name FROM trees JOIN "{table}" AS one ON trees.id = one.tree_id '
            "WHERE one.rowid = ?"
        )
        found = kept.execute(asked, (row,)).fetchone()
        if found is not None:
            return f"{table.replace('_', ' ')} {row} of {str(found[0])[:80]}"
    return f"{table.replace('_', ' ')} {row}"
