"""When a tree was dug, separated or repotted elsewhere, how often it is watered, and the signs seen on it."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

FIRST, LAST = "1600-01-01", "2200-12-31"


def upgrade() -> None:
    connection = op.get_bind()
    kept = connection.connection.driver_connection
    highest = kept.execute("SELECT seq FROM sqlite_sequence WHERE name = 'trees'").fetchone()
    kinds = {"sqlite_autoincrement": True}
    with op.batch_alter_table("trees", recreate="always", table_kwargs=kinds) as batch:
        for column in ("dug_on", "separated_on", "last_repotted_on"):
            batch.add_column(sa.Column(column, sa.Date()))
            within = sa.text(f"{column} BETWEEN '{FIRST}' AND '{LAST}'")
            batch.create_check_constraint(op.f(f"ck_trees_{column}"), within)
        batch.add_column(
            sa.Column("in_ground", sa.Boolean(), nullable=False, server_default="0")
        )
        batch.add_column(sa.Column("usual_watering_days", sa.Double()))
        batch.add_column(sa.Column("signs_seen", sa.Text()))
    # Numbers that were given once are never given again, also those of rows that are gone.
    if highest is not None:
        kept.execute("DELETE FROM sqlite_sequence WHERE name = 'trees'")
        kept.execute("INSERT INTO sqlite_sequence (name, seq) VALUES ('trees', ?)", highest)
