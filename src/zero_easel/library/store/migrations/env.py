"""Alembic's entry point."""

from typing import Any

from alembic import context
from sqlalchemy import Enum, create_engine

from zero_easel.library.store.access import Webhook
from zero_easel.library.store.approvals import ApprovalLink
from zero_easel.library.store.columns import Typed
from zero_easel.library.store.doors import Sending
from zero_easel.library.store.people import Person

TABLES = Webhook.metadata
assert all(one.metadata is TABLES for one in (Sending, Person, ApprovalLink))
"""All tables, those of other modules too: they are known once these are loaded."""


def differs(_context: Any, _there: Any, _column: Any, _inspected: Any, wanted: Any) -> bool | None:
    """Whether a column's type differs: what is JSON or a state for us is text for SQLite."""
    return False if isinstance(wanted, (Typed, Enum)) else None


engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "")
with engine.connect() as connection:
    # SQLite cannot alter most of a table in place; batches rebuild it.
    context.configure(connection=connection, target_metadata=TABLES, render_as_batch=True, compare_type=differs)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
