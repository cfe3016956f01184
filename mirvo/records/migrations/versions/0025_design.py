"""What a tree's base is to look like, stock held with bare roots, and the usual first frost."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

DESIGNS = "'flare', 'exposed roots', 'roots over rock'"


def upgrade() -> None:
    connection = op.get_bind()
    kept = connection.connection.driver_connection
    highest = kept.execute("SELECT seq FROM sqlite_sequence WHERE name = 'trees'").fetchone()
    kinds = {"sqlite_autoincrement": True}
    with op.batch_alter_table("trees", recreate="always", table_kwargs=kinds) as batch:
        batch.add_column(
            sa.Column("held_bare", sa.Boolean(), nullable=False, server_default="0")
        )
        batch.add_column(
            sa.Column("design", sa.String(20), nullable=False, server_default="flare")
        )
        batch.create_check_constraint(
            op.f("ck_trees_design"), sa.text(f"design IN ({DESIGNS})")
        )
    # Numbers that were given once are never given again, also those of rows that are gone.
    if highest is not None:
        kept.execute("DELETE FROM sqlite_sequence WHERE name = 'trees'")
        kept.execute("INSERT INTO sqlite_sequence (name, seq) VALUES ('trees', ?)", highest)
    with op.batch_alter_table("yard") as batch:
        batch.add_column(
            sa.Column("first_frost", sa.String(5), nullable=False, server_default="")
        )
