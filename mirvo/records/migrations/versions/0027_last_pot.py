"""Length and width of a target's pot, and the pots of the shelf that a path may use."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None

KINDS = (
    "'usual pot', 'wide training pot', 'basket', 'board in a wide pot', 'ground', 'final pot'"
)


def upgrade() -> None:
    with op.batch_alter_table("targets") as batch:
        batch.add_column(sa.Column("pot_length_mm", sa.Double(), nullable=True))
        batch.add_column(sa.Column("pot_width_mm", sa.Double(), nullable=True))
        batch.add_column(
            sa.Column("only_shelf", sa.Boolean(), nullable=False, server_default="0")
        )
    op.create_table(
        "target_pots",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.Column("pot_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.CheckConstraint(f"kind IN ({KINDS})", name=op.f("ck_target_pots_kind")),
        sa.ForeignKeyConstraint(
            ["pot_id"], ["pots.id"], name=op.f("fk_target_pots_pot_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["tree_id"],
            ["targets.tree_id"],
            name=op.f("fk_target_pots_tree_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_target_pots")),
        sa.UniqueConstraint("tree_id", "pot_id", name=op.f("uq_target_pots_tree_id")),
    )
    op.create_index(op.f("ix_target_pots_pot_id"), "target_pots", ["pot_id"])
