"""Alembic's entry: migrates the database of the engine that `goldthread.store.server.engine.migrate` hands over."""

from __future__ import annotations

from alembic import context

from goldthread.store.schema import people, rounds, written  # noqa: F401 - their tables
from goldthread.store.schema.models import Base

with context.config.attributes["engine"].connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
