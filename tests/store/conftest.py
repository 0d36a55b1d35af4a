"""An empty database for what changes the schema."""

from collections.abc import Iterator

import pytest
from sqlalchemy import Engine, text

from gradumen.run.database import PrivateDatabase
from gradumen.store.unit_of_work import make_engine


@pytest.fixture
def fresh(database: PrivateDatabase) -> Iterator[Engine]:
    """An empty database beside the others."""
    root = make_engine(database.administrator_url)
    with root.begin() as connection:
        connection.execute(text("CREATE OR REPLACE DATABASE fresh CHARACTER SET utf8mb4"))
    engine = make_engine(database.administrator_url.replace("/gradumen?", "/fresh?"))
    yield engine
    engine.dispose()
    with root.begin() as connection:
        connection.execute(text("DROP DATABASE fresh"))
    root.dispose()
