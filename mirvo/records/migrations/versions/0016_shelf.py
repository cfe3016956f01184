"""The shelf: pots with trees in them, what soil is mixed of, recipes, and what sessions took of it."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

SHAPES = ("rectangle", "rounded", "oval", "round", "drum", "crescent", "slab", "box", "basket")
CONDITIONS = ("whole", "chipped", "cracked", "mended")
POINTING = (
    ("trees", "pot_id", "pots"),
    ("root_sessions", "pot_id", "pots"),
    ("root_sessions", "recipe_id", "soil_recipes"),
)


def one_of(column, values):
    listed = ", ".join(f"'{value}'" for value in values)
    return sa.CheckConstraint(f"{column} IN ({listed})", name=op.f(f"ck_pots_{column}"))


def share(table, column, most):
    return sa.CheckConstraint(f"{column} BETWEEN 0 AND {most:g}", name=op.f(f"ck_{table}_{column}"))


def upgrade() -> None:
    op.create_table(
        "pots",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("shape", sa.String(12), nullable=False),
        sa.Column("length_mm", sa.Double(), nullable=False),
        sa.Column("width_mm", sa.Double(), nullable=False),
        sa.Column("depth_mm", sa.Double(), nullable=False),
        sa.Column("floor_length_mm", sa.Double()),
        sa.Column("floor_width_mm", sa.Double()),
        sa.Column("corner_mm", sa.Double()),
        sa.Column("belly_mm", sa.Double()),
        sa.Column("rim_in_mm", sa.Double()),
        sa.Column("holes", sa.Integer()),
        sa.Column("feet_mm", sa.Double()),
        sa.Column("weight_kg", sa.Double()),
        sa.Column("glaze", sa.String(80), nullable=False),
        sa.Column("condition", sa.String(10), nullable=False),
        sa.Column("place", sa.String(80), nullable=False),
        sa.Column("cost", sa.String(40), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("composted_at", sa.DateTime()),
        one_of("shape", SHAPES),
        one_of("condition", CONDITIONS),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pots")),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "soil_components",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("from_mm", sa.Double(), nullable=False),
        sa.Column("to_mm", sa.Double(), nullable=False),
        sa.Column("kg_per_l", sa.Double(), nullable=False),
        sa.Column("water", sa.Double(), nullable=False),
        sa.Column("air", sa.Double(), nullable=False),
        sa.Column("loss", sa.Double(), nullable=False),
        sa.Column("ph", sa.Double()),
        sa.Column("stock_l", sa.Double()),
        sa.Column("note", sa.String(400), nullable=False),
        share("soil_components", "water", 1),
        share("soil_components", "air", 1),
        share("soil_components", "loss", 0.99),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_soil_components")),
        sa.UniqueConstraint("name", name=op.f("uq_soil_components_name")),
    )
    op.create_table(
        "soil_recipes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("parts", sa.Text(), nullable=False),
        sa.Column("note", sa.String(400), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_soil_recipes")),
        sa.UniqueConstraint("name", name=op.f("uq_soil_recipes_name")),
    )
    op.add_column("trees", sa.Column("pot_id", sa.Integer()))
    op.add_column("trees", sa.Column("potted_on", sa.Date()))
    for name, kind in (("pot_id", sa.Integer()), ("recipe_id", sa.Integer()), ("soil_l", sa.Double())):
        op.add_column("root_sessions", sa.Column(name, kind))
    for table, column, other in POINTING:
        _point(table, column, other)
        op.create_index(op.f(f"ix_{table}_{column}"), table, [column])


def downgrade() -> None:
    for table, column, other in POINTING[::-1]:
        op.drop_index(op.f(f"ix_{table}_{column}"), table)
        _made_anew(table, _foreign_key(table, column, other), "")
    for name in ("soil_l", "recipe_id", "pot_id"):
        op.drop_column("root_sessions", name)
    for name in ("potted_on", "pot_id"):
        op.drop_column("trees", name)
    op.drop_table("soil_recipes")
    op.drop_table("soil_components")
    op.drop_table("pots")


def _foreign_key(table, column, other):
    return (
        f", CONSTRAINT fk_{table}_{column} FOREIGN KEY({column})"
        f" REFERENCES {other} (id) ON DELETE SET NULL)"
    )


def _point(table, column, other):
    """Make a column name rows of another table: SQLite does that in a table made anew alone."""
    _made_anew(table, ")", _foreign_key(table, column, other))


def _made_anew(table, old_end, new_end):
    """A table with another end of what made it; its rows and indexes come along."""
    connection, named = op.get_bind(), {"table": table}
    made = connection.execute(
        sa.text("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = :table"), named
    ).scalar_one()
    indexes = (
        connection.execute(
            sa.text(
                "SELECT sql FROM sqlite_master"
                " WHERE type = 'index' AND tbl_name = :table AND sql IS NOT NULL"
            ),
            named,
        )
        .scalars()
        .all()
    )
    body = made.rstrip()
    if not body.endswith(old_end):
        raise ValueError(f"the table {table} was not made as it should have been")
    body = body.removesuffix(old_end) + (new_end or ")")
    name = f'"{table}"' if f'CREATE TABLE "{table}"' in body else table
    body = body.replace(f"CREATE TABLE {name}", f"CREATE TABLE {table}_anew", 1)
    op.execute(sa.text(body.replace(":", r"\:")))
    op.execute(f"INSERT INTO {table}_anew SELECT * FROM {table}")
    op.execute(f"DROP TABLE {table}")
    op.execute(f"ALTER TABLE {table}_anew RENAME TO {table}")
    for index in indexes:
        op.execute(sa.text(index))
