"""Knowledge of the yard: seasons seen, why figures were changed, provenance, grafts, supplies."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

KINDS = "'root graft', 'branch graft', 'approach graft'"
EMPTY = """{"version": 1, "body": []}"""
OF_TREES = (
    ("former_owners", sa.String(400)),
    ("price", sa.String(40)),
    ("batch", sa.String(60)),
    ("understock_key", sa.String(60)),
)


def upgrade() -> None:
    for name, kind in OF_TREES:
        op.add_column("trees", sa.Column(name, kind, nullable=False, server_default=""))
    op.add_column("trees", sa.Column("graft_height_mm", sa.Double()))
    op.add_column(
        "pots", sa.Column("photo_digest", sa.String(64), nullable=False, server_default="")
    )
    op.add_column("yard", sa.Column("seasons_seen", sa.Text(), nullable=False, server_default="[]"))
    op.execute(f"UPDATE yard SET seasons_seen = '{EMPTY}'")
    op.create_table(
        "tree_grafts",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("tree_id", sa.Integer(), nullable=False),
        sa.Column("donor_id", sa.Integer()),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("grafted_on", sa.Date()),
        sa.Column("place", sa.String(120), nullable=False),
        sa.CheckConstraint(f"kind IN ({KINDS})", name=op.f("ck_tree_grafts_kind")),
        sa.ForeignKeyConstraint(
            ["tree_id"], ["trees.id"], name=op.f("fk_tree_grafts_tree_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["donor_id"], ["trees.id"], name=op.f("fk_tree_grafts_donor_id"), ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tree_grafts")),
    )
    op.create_index(op.f("ix_tree_grafts_tree_id"), "tree_grafts", ["tree_id"])
    op.create_index(op.f("ix_tree_grafts_donor_id"), "tree_grafts", ["donor_id"])
    op.create_table(
        "figure_changes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("species_key", sa.String(60), nullable=False),
        sa.Column("figure", sa.String(40), nullable=False),
        sa.Column("was", sa.String(300), nullable=False),
        sa.Column("became", sa.String(300), nullable=False),
        sa.Column("why", sa.String(300), nullable=False),
        sa.Column("changed_on", sa.Date(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_figure_changes")),
    )
    op.create_index(op.f("ix_figure_changes_species_key"), "figure_changes", ["species_key"])
    op.create_table(
        "supplies",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("unit", sa.String(10), nullable=False),
        sa.Column("stock", sa.Double(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_supplies")),
        sa.UniqueConstraint("name", "unit", name=op.f("uq_supplies_name")),
    )
    with op.batch_alter_table("care_tasks") as batch:
        batch.alter_column("session_id", existing_type=sa.Integer(), nullable=True)


def downgrade() -> None:
    op.execute("DELETE FROM care_tasks WHERE session_id IS NULL")
    with op.batch_alter_table("care_tasks") as batch:
        batch.alter_column("session_id", existing_type=sa.Integer(), nullable=False)
    op.drop_table("supplies")
    op.drop_table("figure_changes")
    op.drop_table("tree_grafts")
    op.drop_column("yard", "seasons_seen")
    op.drop_column("pots", "photo_digest")
    op.drop_column("trees", "graft_height_mm")
    for name, _ in OF_TREES[::-1]:
        op.drop_column("trees", name)
