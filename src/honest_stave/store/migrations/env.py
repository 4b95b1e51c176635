"""Runs migrations on the connection that ``Database`` hands over."""

from alembic import context

from honest_stave.store.tables import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
