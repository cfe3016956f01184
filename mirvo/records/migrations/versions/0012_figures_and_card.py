"""By which formulas figures were worked out, and how true the studio's own card was printed."""

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
    op.add_column("yard", sa.Column("card_line_mm", sa.Double()))


def downgrade() -> None:
    op.drop_column("measurements", "figures_version")
    op.drop_column("yard", "card_line_mm")
