"""People who sign in from other devices, and whether Mirvo answers those."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "people",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("role", sa.String(10), nullable=False),
        sa.Column("proof", sa.String(200), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint("role IN ('owner', 'helper')", name=op.f("ck_people_role")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_people")),
        sa.UniqueConstraint("name", name=op.f("uq_people_name")),
    )
    op.create_table(
        "sign_ins",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("device", sa.String(120), nullable=False),
        sa.Column("began_at", sa.DateTime(), nullable=False),
        sa.Column("seen_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_sign_ins_person_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_ins")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sign_ins_token_hash")),
    )
    op.create_index(op.f("ix_sign_ins_person_id"), "sign_ins", ["person_id"])
    op.add_column(
        "yard", sa.Column("reachable", sa.Boolean(), nullable=False, server_default="0")
    )


def downgrade() -> None:
    op.drop_column("yard", "reachable")
    op.drop_table("sign_ins")
    op.drop_table("people")
