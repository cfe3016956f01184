"""Rotation and confirmation of measurements, side views, eye checks."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("measurements", sa.Column("view", sa.String(10), nullable=False, server_default="top"))
    op.add_column("measurements", sa.Column("turn_deg", sa.Double(), nullable=False, server_default="0"))
    op.add_column("measurements", sa.Column("confirmed_at", sa.DateTime(), nullable=True))
    op.create_table(
        "eye_checks",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("seed", sa.Integer(), nullable=False),
        sa.Column("begun_at", sa.DateTime(), nullable=False),
        sa.Column("first", sa.JSON(), nullable=True),
        sa.Column("second", sa.JSON(), nullable=True),
        sa.Column("result", sa.JSON(), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("eye_checks")
    for name in ("confirmed_at", "turn_deg", "view"):
        op.drop_column("measurements", name)
