"""Own entries of the almanac, and own figures of shipped ones."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("yard", sa.Column("own_species", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("yard", "own_species")
