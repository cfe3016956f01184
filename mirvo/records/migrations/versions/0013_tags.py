"""Tags: the artist's own words to find a tree by."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trees", sa.Column("tags", sa.Text(), nullable=False, server_default="[]"))
    op.execute("""UPDATE trees SET tags = '{"version": 1, "body": []}'""")


def downgrade() -> None:
    op.drop_column("trees", "tags")
