"""Trees, photos, measurements, sessions and tasks can lie on the compost heap."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

TABLES = ("trees", "photos", "measurements", "sessions", "care_tasks")


def upgrade() -> None:
    for table in TABLES:
        op.add_column(table, sa.Column("composted_at", sa.DateTime(), nullable=True))


def downgrade() -> None:
    for table in TABLES:
        op.drop_column(table, "composted_at")
