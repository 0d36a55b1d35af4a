"""Alembic's environment: migrations run on the engine that the caller hands over."""

from alembic import context

from gradumen.store.tables import Base

engine = context.config.attributes["engine"]
with engine.connect() as connection:
    context.configure(
        connection=connection, target_metadata=Base.metadata, compare_type=True, transaction_per_migration=True
    )
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
