"""Guests and shared trees, versions of what is corrected, and numbers that are never used again.

The number of a row stands in addresses and on labels. Without AUTOINCREMENT the number of the
newest row that goes is given to the next one, so that a label would lead to another tree.
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

NUMBERED = ("trees", "photos", "root_sessions", "bench_sessions", "plans", "measurements")
OWN_NUMBER = "id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT"
PLAIN_NUMBER = "id INTEGER NOT NULL"


def upgrade() -> None:
    op.add_column("yard", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("yard", sa.Column("started_at", sa.DateTime(), nullable=True))
    op.add_column(
        "root_sessions", sa.Column("version", sa.Integer(), nullable=False, server_default="1")
    )
    for table in NUMBERED:
        _made_anew(table, PLAIN_NUMBER, OWN_NUMBER, f"CONSTRAINT pk_{table} PRIMARY KEY (id)")
    _made_anew("people", "('owner', 'helper')", "('owner', 'helper', 'guest')")
    op.create_table(
        "guest_trees",
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_guest_trees_person_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["tree_id"], ["trees.id"], name=op.f("fk_guest_trees_tree_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("person_id", "tree_id", name=op.f("pk_guest_trees")),
    )
    op.create_index(op.f("ix_guest_trees_tree_id"), "guest_trees", ["tree_id"])
    op.create_table(
        "shared_trees",
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.Column("secret", sa.String(40), nullable=False),
        sa.Column("shared_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["tree_id"], ["trees.id"], name=op.f("fk_shared_trees_tree_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("tree_id", name=op.f("pk_shared_trees")),
        sa.UniqueConstraint("secret", name=op.f("uq_shared_trees_secret")),
    )


def downgrade() -> None:
    op.drop_table("shared_trees")
    op.drop_table("guest_trees")
    op.execute("DELETE FROM people WHERE role = 'guest'")
    _made_anew("people", "('owner', 'helper', 'guest')", "('owner', 'helper')")
    for table in NUMBERED:
        _made_anew(table, OWN_NUMBER, "id INTEGER NOT NULL PRIMARY KEY")
    op.drop_column("root_sessions", "version")
    op.drop_column("yard", "started_at")
    op.drop_column("yard", "version")


def _made_anew(table: str, old: str, new: str, gone: str = "") -> None:
    """A table with another word in what made it; its rows and indexes come along."""
    connection = op.get_bind()
    named = {"table": table}
    made = connection.execute(
        sa.text("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = :table"), named
    ).scalar_one()
    indexes = (
        connection.execute(
            sa.text(
                "SELECT sql FROM sqlite_master"
                " WHERE type = 'index' AND tbl_name = :table AND sql IS NOT NULL"
            ),
            named,
        )
        .scalars()
        .all()
    )
    if old not in made:
        raise ValueError(f"the table {table} was not made as it should have been")
    anew = made.replace(old, new, 1)
    if gone:
        before, _, after = anew.partition(gone)
        # The comma goes with what it parted: after it, or before it at the end.
        after = after.lstrip()
        if after.startswith(","):
            anew = before + after[1:]
        else:
            anew = before.rstrip().removesuffix(",") + after
    name = f'"{table}"' if f'CREATE TABLE "{table}"' in anew else table
    anew = anew.replace(f"CREATE TABLE {name}", f"CREATE TABLE {table}_anew", 1)
    op.execute(sa.text(anew.replace(":", r"\:")))
    op.execute(f"INSERT INTO {table}_anew SELECT * FROM {table}")
    op.execute(f"DROP TABLE {table}")
    op.execute(f"ALTER TABLE {table}_anew RENAME TO {table}")
    for index in indexes:
        op.execute(sa.text(index))
