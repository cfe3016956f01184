"""Weighings of a tree in its pot."""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pot_weights",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.Column("weighed_at", sa.DateTime(), nullable=False),
        sa.Column("grams", sa.Double(), nullable=False),
        sa.CheckConstraint("grams BETWEEN 1 AND 500000", name=op.f("ck_pot_weights_grams")),
        sa.ForeignKeyConstraint(
            ["tree_id"], ["trees.id"], name=op.f("fk_pot_weights_tree_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pot_weights")),
    )
    op.create_index(
        "ix_pot_weights_tree_id_weighed_at", "pot_weights", ["tree_id", "weighed_at"], unique=True
    )
