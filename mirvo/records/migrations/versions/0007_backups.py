"""When the last backup was made."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("yard", sa.Column("backed_up_at", sa.DateTime(), nullable=True))


def downgrade() -> None:
    op.drop_column("yard", "backed_up_at")
