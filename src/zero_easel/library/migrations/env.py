"""Alembic's entry point."""

from alembic import context
from sqlalchemy import create_engine

from zero_easel.library.models import Base

engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "")
with engine.connect() as connection:
    # SQLite cannot alter most of a table in place; batches rebuild it.
    context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
