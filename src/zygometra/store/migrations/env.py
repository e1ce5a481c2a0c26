"""Alembic's entry: runs on the connection it is handed."""

from alembic import context
from sqlmodel import SQLModel

from zygometra.store import tables  # noqa: F401  (registers the tables)

context.configure(connection=context.config.attributes["connection"], target_metadata=SQLModel.metadata)
with context.begin_transaction():
    # Two processes that start together must not both create the tables.
    context.get_bind().exec_driver_sql("SELECT pg_advisory_xact_lock(722001)")
    context.run_migrations()
