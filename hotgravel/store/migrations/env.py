"""Alembic's entry: migrates over the connection that the database hands in."""

from alembic import context

from hotgravel.store.models import Table

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Table.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
