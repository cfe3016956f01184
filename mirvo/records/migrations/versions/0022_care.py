"""Aftercare as codes and values with what its day goes by; fine roots nobody looked at are empty."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None

FINE_ROOTS = ("", "mostly below", "even", "mostly at the surface")


def upgrade() -> None:
    with op.batch_alter_table("care_tasks", recreate="always") as batch:
        batch.alter_column("text", existing_type=sa.String(200), nullable=True)
        batch.add_column(sa.Column("step", sa.String(24)))
        batch.add_column(sa.Column("anchor", sa.String(10)))
        batch.add_column(sa.Column("values", sa.Text()))
        said = sa.text("anchor IN ('day', 'growth', 'season')")
        batch.create_check_constraint(op.f("ck_care_tasks_anchor"), said)
    listed = ", ".join(f"'{word}'" for word in FINE_ROOTS)
    kinds = {"sqlite_autoincrement": True}
    with op.batch_alter_table("root_sessions", recreate="always", table_kwargs=kinds) as batch:
        batch.drop_constraint(op.f("ck_root_sessions_fine_roots"), type_="check")
        batch.create_check_constraint(
            op.f("ck_root_sessions_fine_roots"), sa.text(f"fine_roots IN ({listed})")
        )
