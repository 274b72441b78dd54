"""Alembic's entry: the connection is handed in by :class:`lauftakt.store.database.Database`."""

from typing import Any

from alembic import context

from lauftakt.store.models import Base

say = context.config.attributes.get("say")


def told(ctx: Any, step: Any, heads: Any, run_args: Any) -> None:
    """Say which step was done."""
    if say is not None:
        say(f"  {step.up_revision_id}: {step.up_revision.doc}")


context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    compare_type=True,
    on_version_apply=told,
)
with context.begin_transaction():
    context.run_migrations()
