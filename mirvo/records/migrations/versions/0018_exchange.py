"""Exchange: origins of rows, experience of others, tokens of programs, parts of a shared tree."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

SHOWN = """{"version": 1, "body": ["drawing", "figures", "photos", "sessions", "target"]}"""


def upgrade() -> None:
    op.create_table(
        "foreign_rows",
        sa.Column("studio", sa.String(64), nullable=False),
        sa.Column("table_name", sa.String(40), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("own_number", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("studio", "table_name", "number", name=op.f("pk_foreign_rows")),
    )
    op.create_index(
        op.f("ix_foreign_rows_table_name_own_number"), "foreign_rows", ["table_name", "own_number"]
    )
    op.create_table(
        "shared_experience",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("source", sa.String(80), nullable=False),
        sa.Column("species_key", sa.String(60), nullable=False),
        sa.Column("sessions", sa.Integer(), nullable=False),
        sa.Column("median_share", sa.Double()),
        sa.Column("good", sa.Integer(), nullable=False),
        sa.Column("fair", sa.Integer(), nullable=False),
        sa.Column("poor", sa.Integer(), nullable=False),
        sa.Column("died", sa.Integer(), nullable=False),
        sa.Column("taken_in_on", sa.Date(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shared_experience")),
        sa.UniqueConstraint("source", "species_key", name=op.f("uq_shared_experience_source")),
    )
    op.create_index(
        op.f("ix_shared_experience_species_key"), "shared_experience", ["species_key"]
    )
    op.create_table(
        "api_tokens",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("scopes", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("used_at", sa.DateTime()),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_api_tokens")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_api_tokens_token_hash")),
    )
    op.add_column(
        "soil_components", sa.Column("cost", sa.String(40), nullable=False, server_default="")
    )
    op.add_column(
        "shared_trees", sa.Column("parts", sa.Text(), nullable=False, server_default="[]")
    )
    op.execute(f"UPDATE shared_trees SET parts = '{SHOWN}'")


def downgrade() -> None:
    op.drop_column("shared_trees", "parts")
    op.drop_column("soil_components", "cost")
    op.drop_table("api_tokens")
    op.drop_table("shared_experience")
    op.drop_table("foreign_rows")
