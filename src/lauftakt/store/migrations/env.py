"""Alembic's entry: the connection is handed in by :class:`lauftakt.store.database.Database`."""

from alembic import context

from lauftakt.store.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
