"""Runs migrations on a live connection."""

from alembic import context
from sqlalchemy import create_engine

from plough.service.db.tables import Base

engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "")
with engine.connect() as connection:
    context.configure(
        connection=connection, target_metadata=Base.metadata, transaction_per_migration=True
    )
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
