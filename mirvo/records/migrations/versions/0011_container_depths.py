"""How deep the containers at hand are inside, where the artist has measured them."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    column = sa.Column("container_depths", sa.Text(), nullable=False, server_default="{}")
    op.add_column("targets", column)
    op.execute("""UPDATE targets SET container_depths = '{"version": 1, "body": {}}'""")


def downgrade() -> None:
    op.drop_column("targets", "container_depths")
