"""Measurements and eye checks without figures say so as nothing, not as the word null."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

COLUMNS = (
    ("measurements", "figures"),
    ("eye_checks", "first"),
    ("eye_checks", "second"),
    ("eye_checks", "result"),
)


def upgrade() -> None:
    for table, column in COLUMNS:
        op.execute(sa.text(f"UPDATE {table} SET {column} = NULL WHERE {column} = 'null'"))  # noqa: S608


def downgrade() -> None:
    """Nothing to take back: both mean the same."""
