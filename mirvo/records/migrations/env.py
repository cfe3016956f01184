"""Alembic environment: runs on the connection it is handed, inside its transaction."""

from alembic import context

from mirvo.records.models import Table

connection = context.config.attributes["connection"]
context.configure(
    connection=connection,
    target_metadata=Table.metadata,
    render_as_batch=True,
    transactional_ddl=False,
)
context.run_migrations()
