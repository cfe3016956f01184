"""Figures measured by hand."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "hand_measurements",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.Column("measured_on", sa.Date(), nullable=False),
        sa.Column("trunk_mm", sa.Double()),
        sa.Column("spread_mm", sa.Double()),
        sa.Column("height_mm", sa.Double()),
        sa.Column("composted_at", sa.DateTime()),
        sa.ForeignKeyConstraint(
            ["tree_id"], ["trees.id"], name=op.f("fk_hand_measurements_tree_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_hand_measurements")),
        sa.UniqueConstraint(
            "tree_id", "measured_on", name=op.f("uq_hand_measurements_tree_id")
        ),
        sqlite_autoincrement=True,
    )
