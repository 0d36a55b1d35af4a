"""The unit of work on a real server, by a way to it that breaks: what is repeated, and what is not."""

import socket
import threading
from collections.abc import Iterator
from datetime import UTC, datetime
from uuid import UUID, uuid4

import pytest
from sqlalchemy import Engine, event, select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from gradumen.core.errors import Unanswered
from gradumen.run.database import PrivateDatabase
from gradumen.store.revisions import CLOCK, KINDS, TREE, RevisionRow, revise, token_of
from gradumen.store.unit_of_work import UnitOfWork, at_one_moment, database_time, make_engine
from gradumen.usecases.idempotency import Once, answer


class BreakingWay:
    """Passes everything between a client and the server's socket; armed, it breaks after COMMIT was sent."""

    def __init__(self, path: str) -> None:
        self.path, self.armed = path, 0
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port: int = self._listening.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def close(self) -> None:
        self._listening.close()

    def _accept(self) -> None:
        while True:
            try:
                client, _ = self._listening.accept()
            except OSError:
                return
            server = socket.socket(socket.AF_UNIX)
            server.connect(self.path)
            breaking = threading.Event()
            threading.Thread(target=self._answer, args=(server, client, breaking), daemon=True).start()
            threading.Thread(target=self._ask, args=(client, server, breaking), daemon=True).start()

    @staticmethod
    def _answer(server: socket.socket, client: socket.socket, breaking: threading.Event) -> None:
        """Give on what the server answers; of a way that breaks, end it once the server has carried COMMIT out."""
        try:
            while (data := server.recv(65536)) and not breaking.is_set():
                client.sendall(data)
            client.shutdown(socket.SHUT_RDWR)
        except OSError:
            pass
        client.close()

    def _ask(self, client: socket.socket, server: socket.socket, breaking: threading.Event) -> None:
        try:
            while data := client.recv(65536):
                if b"COMMIT" in data and self.armed:
                    self.armed -= 1
                    breaking.set()
                server.sendall(data)
        except OSError:
            pass
        server.close()


@pytest.fixture
def engine(database: PrivateDatabase, owner: Engine) -> Iterator[Engine]:
    """The database at head, by its administrator."""
    made = make_engine(database.administrator_url)
    yield made
    made.dispose()


@pytest.fixture
def way(database: PrivateDatabase, engine: Engine) -> Iterator[tuple[BreakingWay, UnitOfWork]]:
    """A way to the database, and a unit of work that goes by it."""
    with engine.begin() as connection:
        connection.execute(text("CREATE OR REPLACE TABLE scratch (id INT AUTO_INCREMENT PRIMARY KEY, n INT)"))
        connection.execute(text("INSERT INTO scratch (n) VALUES (0), (0)"))
        connection.execute(text("CREATE USER IF NOT EXISTS passer@localhost"))
        connection.execute(text("GRANT ALL ON gradumen.* TO passer@localhost"))
    made = BreakingWay(f"{database.data}/db.sock")
    by_way = make_engine(f"mysql://passer@127.0.0.1:{made.port}/gradumen")
    yield made, UnitOfWork(by_way)
    by_way.dispose()
    made.close()
    with engine.begin() as connection:
        connection.execute(text("DROP TABLE scratch"))
        connection.execute(text("DROP USER passer@localhost"))
        connection.execute(text("CALL empty_all()"))


def insert(tx: Session) -> str:
    tx.execute(text("INSERT INTO scratch (n) VALUES (1)"))
    return "made"


def inserted(engine: Engine) -> int:
    with engine.connect() as connection:
        return int(connection.scalar(text("SELECT COUNT(*) FROM scratch WHERE n = 1")) or 0)


def cut_all(engine: Engine, uow: UnitOfWork) -> None:
    """End, at the server, the connections that a pool keeps; as when the server was started again."""
    held = [uow.engine.connect() for _ in range(3)]
    ids = [connection.scalar(text("SELECT CONNECTION_ID()")) for connection in held]
    for connection in held:
        connection.close()
    with engine.connect() as connection:
        for each in ids:
            connection.execute(text(f"KILL {each}"))


def test_dead_connections_are_noticed_by_nobody(way: tuple[BreakingWay, UnitOfWork], engine: Engine) -> None:
    _, uow = way
    cut_all(engine, uow)
    assert uow.run(insert) == "made"
    assert inserted(engine) == 1
    cut_all(engine, uow)
    assert database_time(uow.engine) is not None, "the service is ready"


def test_an_unanswered_commit_is_not_repeated(way: tuple[BreakingWay, UnitOfWork], engine: Engine) -> None:
    breaking, uow = way
    uow.run(insert)
    breaking.armed = 1
    with pytest.raises(Unanswered, match="look whether it was"):
        uow.run(insert)

    assert breaking.armed == 0
    assert inserted(engine) == 2, "it was carried out, once"


def test_with_a_key_an_unanswered_commit_is_repeated_and_finds_itself(
    way: tuple[BreakingWay, UnitOfWork], engine: Engine
) -> None:
    breaking, uow = way
    once = Once(uuid4(), "POST /made", "key-1", "hash", datetime.now(UTC))
    breaking.armed = 1

    assert answer(uow, once, lambda joined: joined.run(insert)) == "made"
    assert breaking.armed == 0
    assert inserted(engine) == 1
    assert answer(uow, once, lambda joined: joined.run(insert)) == "made"
    assert inserted(engine) == 1


def test_what_was_only_read_is_read_again(way: tuple[BreakingWay, UnitOfWork]) -> None:
    breaking, uow = way
    breaking.armed = 2

    assert uow.run(lambda tx: tx.scalar(text("SELECT COUNT(*) FROM scratch"))) == 2
    assert breaking.armed == 0


def test_a_deadlock_inside_a_savepoint_repeats_the_whole_use_case(engine: Engine) -> None:
    """Two transactions take two rows in opposite orders, the second one each inside a savepoint."""
    with engine.begin() as connection:
        connection.execute(text("CREATE OR REPLACE TABLE pair (id INT PRIMARY KEY, n INT)"))
        connection.execute(text("INSERT INTO pair VALUES (1, 0), (2, 0)"))
    gate = threading.Barrier(2, timeout=20)
    tries: list[int] = []
    failed: list[DBAPIError] = []

    def add(tx: Session, row: int) -> None:
        tx.execute(text("UPDATE pair SET n = n + 1 WHERE id = :id"), {"id": row})

    def both(first: int, second: int) -> None:
        def work(tx: Session) -> None:
            add(tx, first)
            tries.append(first)
            if len(tries) <= 2:
                gate.wait()
            with tx.begin_nested():
                add(tx, second)

        try:
            UnitOfWork(engine).run(work)
        except DBAPIError as error:
            failed.append(error)

    threads = [threading.Thread(target=both, args=order) for order in ((1, 2), (2, 1))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    with engine.begin() as connection:
        found = {row.id: row.n for row in connection.execute(text("SELECT id, n FROM pair"))}
        connection.execute(text("DROP TABLE pair"))

    assert (failed, len(tries)) == ([], 3)
    assert found == {1: 2, 2: 2}


def test_who_reads_at_one_moment_leaves_no_trace_in_the_pool(database: PrivateDatabase, engine: Engine) -> None:
    """What another commits meanwhile is not seen; whoever has the connection next sees it."""
    alone = UnitOfWork(make_engine(database.url, pool_size=1))
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO revisions (kind, token) VALUES ('trial', REPEAT('1', 32))"))

    def read(tx: Session) -> str:
        return str(tx.scalar(text("SELECT token FROM revisions WHERE kind = 'trial'")))

    def twice(tx: Session, *, at_once: bool) -> bool:
        if at_once:
            at_one_moment(tx)
        before = read(tx)
        with engine.begin() as connection:
            connection.execute(text("UPDATE revisions SET token = REPLACE(UUID(), '-', '') WHERE kind = 'trial'"))
        return read(tx) == before

    try:
        assert [alone.run(lambda tx, at=at: twice(tx, at_once=at)) for at in (True, False, True)] == [True, False, True]
    finally:
        with engine.begin() as connection:
            connection.execute(text("DELETE FROM revisions WHERE kind = 'trial'"))
        alone.engine.dispose()


def test_what_nobody_ended_is_rolled_back_and_what_was_ended_is_not_again(
    way: tuple[BreakingWay, UnitOfWork], database: PrivateDatabase, engine: Engine
) -> None:
    """By one connection: a transaction that was committed, one whose statement failed, two that were left open."""
    alone = UnitOfWork(make_engine(database.administrator_url, pool_size=1))

    def rolled_back() -> int:
        with alone.engine.connect() as connection:
            row = connection.execute(text("SHOW SESSION STATUS LIKE 'Com_rollback'")).one()
            connection.commit()
        return int(row[1])

    try:
        before = rolled_back()
        assert alone.run(insert) == "made"
        assert rolled_back() == before
        with pytest.raises(DBAPIError):
            alone.run(lambda tx: [insert(tx), tx.execute(text("SELECT missing FROM scratch"))])
        with alone.engine.connect() as connection:
            connection.execute(text("INSERT INTO scratch (n) VALUES (1)"))
        held = alone.engine.raw_connection()
        held.cursor().execute("INSERT INTO scratch (n) VALUES (1)")
        held.close()
        assert rolled_back() == before + 3
        assert inserted(engine) == 1
    finally:
        alone.engine.dispose()


def test_tokens_are_read_at_once_and_again_after_whoever_was_waited_for(engine: Engine) -> None:
    uow = UnitOfWork(engine)
    asked: list[str] = []
    event.listen(engine, "before_cursor_execute", lambda *sent: asked.append(sent[2]))

    def read(tx: Session) -> tuple[UUID | None, ...]:
        return tuple(token_of(tx, kind) for kind in (TREE, KINDS, CLOCK))

    def work(tx: Session) -> list[tuple[UUID | None, ...]]:
        first = read(tx)
        assert sum("FROM revisions" in each for each in asked) == 1
        uow.run(lambda other: revise(other, KINDS))
        found = [first, read(tx)]
        tx.scalars(select(RevisionRow).where(RevisionRow.kind == TREE).with_for_update()).one()
        return [*found, read(tx)]

    uow.run(lambda tx: [revise(tx, kind) for kind in (TREE, KINDS, CLOCK)])
    first, same, waited = uow.run(work)
    assert first == same and None not in first
    assert [one == other for one, other in zip(first, waited, strict=True)] == [True, False, True]
