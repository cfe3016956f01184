"""What a tree stands as: what is left of a measurement, answers of trees, nights, the portrait."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

WORDS = sa.String()
ADDED = (
    ("trees", sa.Column("keeps_soil", sa.Boolean(), nullable=False, server_default="0")),
    ("trees", sa.Column("pot_depth_mm", sa.Double())),
    ("trees", sa.Column("strength_said_on", sa.Date())),
    ("trees", sa.Column("died_on", sa.Date())),
    ("trees", sa.Column("died_of", WORDS, nullable=False, server_default="")),
    ("trees", sa.Column("would_do_otherwise", WORDS, nullable=False, server_default="")),
    ("yard", sa.Column("frost_free", sa.Boolean(), nullable=False, server_default="0")),
    ("yard", sa.Column("simulated_weather", sa.Boolean(), nullable=False, server_default="0")),
    ("measurements", sa.Column("stands", sa.Text())),
    ("measurements", sa.Column("same_tree", sa.Boolean())),
    ("measurements", sa.Column("forecast", sa.Text())),
    ("roots", sa.Column("height_mm", sa.Double())),
    ("care_tasks", sa.Column("since", sa.Date())),
    ("root_sessions", sa.Column("bearing", sa.Double())),
    ("root_sessions", sa.Column("share_plus_minus", sa.Double())),
    ("root_sessions", sa.Column("over_reason", WORDS, nullable=False, server_default="")),
)


def upgrade() -> None:
    for table, column in ADDED:
        op.add_column(table, column)
    op.create_table(
        "night_minima",
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("low_c", sa.Double(), nullable=False),
        sa.Column("source", sa.String(20), nullable=False),
        sa.PrimaryKeyConstraint("day", name="pk_night_minima"),
    )
    op.create_table(
        "tree_answers",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("seen_on", sa.Date(), nullable=False),
        sa.Column("leaf_lost_percent", sa.Double()),
        sa.Column("shoots_on", sa.Date()),
        sa.Column("dieback", sa.Boolean(), nullable=False),
        sa.Column("weak", sa.Boolean(), nullable=False),
        sa.CheckConstraint(
            "leaf_lost_percent BETWEEN 0 AND 100", name=op.f("ck_tree_answers_leaf_lost_percent")
        ),
        sa.ForeignKeyConstraint(
            ["session_id"],
            ["root_sessions.id"],
            name="fk_tree_answers_session_id",
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name="pk_tree_answers"),
    )
    op.create_index("ix_tree_answers_session_id", "tree_answers", ["session_id"])


def downgrade() -> None:
    op.drop_table("tree_answers")
    op.drop_table("night_minima")
    for table, column in ADDED:
        op.drop_column(table, column.name)
