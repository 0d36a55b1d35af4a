"""Empty databases for what changes the schema."""

from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import Engine, text

from gradumen.run.database import PrivateDatabase
from gradumen.store.unit_of_work import make_engine


@contextmanager
def database_beside(database: PrivateDatabase, name: str) -> Iterator[Engine]:
    """An empty database beside the others, until the end."""
    root = make_engine(database.administrator_url)
    with root.begin() as connection:
        connection.execute(text(f"CREATE OR REPLACE DATABASE {name} CHARACTER SET utf8mb4"))
    engine = make_engine(database.administrator_url.replace("/gradumen?", f"/{name}?"))
    yield engine
    engine.dispose()
    with root.begin() as connection:
        connection.execute(text(f"DROP DATABASE {name}"))
    root.dispose()


@pytest.fixture
def fresh(database: PrivateDatabase) -> Iterator[Engine]:
    """An empty database of one test."""
    with database_beside(database, "fresh") as engine:
        yield engine
