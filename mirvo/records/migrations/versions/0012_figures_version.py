"""By which version of the formulas a measurement's figures were worked out."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Those that are there are of the first, and are worked out anew when Mirvo has started.
    column = sa.Column("figures_version", sa.Integer(), nullable=False, server_default="1")
    op.add_column("measurements", column)


def downgrade() -> None:
    op.drop_column("measurements", "figures_version")
