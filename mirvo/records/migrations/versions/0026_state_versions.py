"""How often what each tree's figures rest on has changed; the triggers are put in place at start."""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "state_versions",
        sa.Column("tree_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("tree_id", name=op.f("pk_state_versions")),
    )
