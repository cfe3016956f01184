"""Visits at the bench and every tap of them, aftercare tasks, waterings, practice, parentage."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("yard", "trees"):
        op.add_column(table, sa.Column("practice", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("yard", sa.Column("calendar_secret", sa.String(40), nullable=False, server_default=""))
    op.add_column("yard", sa.Column("trees_a_day", sa.Integer(), nullable=False, server_default="3"))
    op.add_column("yard", sa.Column("bench_days", sa.Integer(), nullable=False, server_default="2"))
    op.add_column("trees", sa.Column("moved_to", sa.Date(), nullable=True))
    op.add_column("targets", sa.Column("holds", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("trees", sa.Column("parent_id", sa.Integer(), nullable=True))
    op.add_column("trees", sa.Column("water_dish", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("trees", sa.Column("under_glass", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("trees", sa.Column("foreign_soil", sa.String(200), nullable=False, server_default=""))
    op.add_column("sessions", sa.Column("details", sa.JSON(), nullable=False, server_default="{}"))
    op.create_table(
        "visits",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("tree_id", sa.Integer(), sa.ForeignKey("trees.id"), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("begun_at", sa.DateTime(), nullable=False),
        sa.Column("closed_at", sa.DateTime(), nullable=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("sessions.id"), nullable=True),
        sa.Column("measurement_id", sa.Integer(), sa.ForeignKey("measurements.id"), nullable=True),
    )
    op.create_index("ix_visits_tree_id", "visits", ["tree_id"])
    op.create_table(
        "taps",
        sa.Column("id", sa.String(40), primary_key=True),
        sa.Column("visit_id", sa.Integer(), sa.ForeignKey("visits.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("field", sa.String(60), nullable=False),
        sa.Column("value", sa.JSON(), nullable=True),
        sa.Column("tapped_at", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_taps_visit_id_tapped_at", "taps", ["visit_id", "tapped_at"])
    op.create_table(
        "visit_photos",
        sa.Column("id", sa.String(40), primary_key=True),
        sa.Column("visit_id", sa.Integer(), sa.ForeignKey("visits.id"), nullable=False),
        sa.Column("photo_id", sa.Integer(), sa.ForeignKey("photos.id"), nullable=False),
        sa.Column("step", sa.String(20), nullable=False),
    )
    op.create_index("ix_visit_photos_visit_id", "visit_photos", ["visit_id"])
    op.create_table(
        "care_tasks",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("tree_id", sa.Integer(), sa.ForeignKey("trees.id"), nullable=False),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("sessions.id"), nullable=False),
        sa.Column("due", sa.Date(), nullable=False),
        sa.Column("code", sa.String(20), nullable=False),
        sa.Column("text", sa.String(200), nullable=False),
        sa.Column("done_at", sa.DateTime(), nullable=True),
    )
    op.create_index("ix_care_tasks_done_at_due", "care_tasks", ["done_at", "due"])
    op.create_index("ix_care_tasks_session_id", "care_tasks", ["session_id"])
    op.create_table(
        "waterings",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("tree_id", sa.Integer(), sa.ForeignKey("trees.id"), nullable=False),
        sa.Column("watered_on", sa.Date(), nullable=False),
    )
    op.create_index("ix_waterings_tree_id_watered_on", "waterings", ["tree_id", "watered_on"], unique=True)


def downgrade() -> None:
    for table in ("waterings", "care_tasks", "visit_photos", "taps", "visits"):
        op.drop_table(table)
    op.drop_column("sessions", "details")
    for name in ("moved_to", "foreign_soil", "under_glass", "water_dish", "parent_id", "practice"):
        op.drop_column("trees", name)
    op.drop_column("targets", "holds")
    for name in ("bench_days", "trees_a_day", "calendar_secret", "practice"):
        op.drop_column("yard", name)
