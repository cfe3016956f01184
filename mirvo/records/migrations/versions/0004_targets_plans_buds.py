"""Containers, gap methods and returning roots of a target, names of kept plans, buds seen."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("targets", sa.Column("containers", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("targets", sa.Column("gap_methods", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("targets", sa.Column("returns", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("plans", sa.Column("name", sa.String(80), nullable=False, server_default=""))
    op.add_column("trees", sa.Column("buds_seen", sa.String(20), nullable=False, server_default=""))
    op.add_column("trees", sa.Column("buds_seen_on", sa.Date(), nullable=True))


def downgrade() -> None:
    op.drop_column("trees", "buds_seen_on")
    op.drop_column("trees", "buds_seen")
    op.drop_column("plans", "name")
    op.drop_column("targets", "returns")
    op.drop_column("targets", "gap_methods")
    op.drop_column("targets", "containers")
