"""The unit of work: the one place that commits, and that repeats a whole transaction that lost a race."""

import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import wraps
from itertools import count
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar

from sqlalchemy import Connection, Engine, ExceptionContext, create_engine, event, make_url, text
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import DBAPIError, IntegrityError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolExhausted
from sqlalchemy.orm import Session
from sqlalchemy.pool import ConnectionPoolEntry

from gradumen.core.errors import Unanswered, Unavailable
from gradumen.store.sealing import SEALS, Seals

__all__ = ["DATABASE_ERRORS", "Engine", "Overtaken", "Session", "UnitOfWork", "add_new", "make_engine", "use_case"]
T = TypeVar("T")
P = ParamSpec("P")

LOST = frozenset({0, 1053, 1927, 2006, 2013, 2055})
"""The connection was lost: what was sent last may have been carried out."""
RETRIED = LOST | {1020, 1047, 1205, 1213, 1305, 2002, 2003}
"""Lost a race (deadlock, lock wait, record changed), node or server not ready, connection lost.

After a deadlock inside a savepoint the savepoint is gone (1305), and with it the whole transaction.
"""
SPENT = frozenset({1021, 1040, 1041, 1114, 1203, 1226})
"""Disk, connections or memory of the server are used up."""
DENIED = frozenset({1044, 1142, 1227, 1370})
"""The account lacks a right."""
ATTEMPTS = 8
_waits = count()
"""A number for each moment at which a transaction began, or may have waited for another."""
COLUMNS = "columns"
"""Under what a session knows the folder of columns."""
STRICT = "STRICT_ALL_TABLES,NO_ZERO_DATE,ERROR_FOR_DIVISION_BY_ZERO"


def make_engine(url: str, *, pool_size: int = 20) -> Engine:
    """An engine whose sessions are strict, in UTC, and read what is committed."""
    engine = create_engine(
        # Of the drivers for this kind of database there is one here, whichever the address names.
        make_url(url).set(drivername="mysql+mysqldb"),
        pool_size=pool_size,
        query_cache_size=2000,
        pool_timeout=60,
        max_overflow=10,
        pool_recycle=1800,
        isolation_level="READ COMMITTED",
        # Most were ended by a COMMIT: see below.
        pool_reset_on_return=None,
        connect_args={
            "charset": "utf8mb4",
            "local_infile": True,
            # Else a server that drops what is sent to it is waited for until the system gives up.
            "connect_timeout": 10,
            "init_command": f"SET sql_mode='{STRICT}', time_zone='+00:00'",
        },
    )

    @event.listens_for(engine, "begin")
    def begun(connection: Connection) -> None:
        connection.info["wrote"] = connection.info["ended"] = False
        connection.info["waited"] = next(_waits)

    @event.listens_for(engine, "commit")
    @event.listens_for(engine, "rollback")
    def ended(connection: Connection) -> None:
        if not connection.invalidated:
            connection.info["ended"] = True

    @event.listens_for(engine, "handle_error")
    def failed(context: ExceptionContext) -> None:
        if context.connection is not None and not context.connection.invalidated:
            context.connection.info["ended"] = False

    @event.listens_for(engine, "reset")
    def returned(held: DBAPIConnection, record: ConnectionPoolEntry, _state: object) -> None:
        if not record.info.pop("ended", False):
            held.rollback()

    @event.listens_for(engine, "before_cursor_execute")
    def sent(connection: Connection, _cursor: object, statement: str, *_rest: object) -> None:
        writes = not statement.lstrip()[:6].upper().startswith(("SELECT", "WITH"))
        if writes:
            connection.info["wrote"] = True
        if writes or "FOR UPDATE" in statement or "LOCK IN SHARE MODE" in statement:
            connection.info["waited"] = next(_waits)

    return engine


class Overtaken(Exception):
    """What a decision was begun on has changed while it waited for its rivals: all of it is done again."""


class UnitOfWork:
    """Runs use cases, each in a transaction of its own."""

    def __init__(self, engine: Engine, columns: Path | None = None, seals: Seals | None = None) -> None:
        """``columns`` is the folder of what spend is summed from (`gradumen.store.spend`); None keeps no files.

        ``seals`` are the keys of secrets; without, use cases that have any to do with these fail.
        """
        self.engine, self.columns, self.seals = engine, columns, seals

    def run(self, work: Callable[[Session], T], *, repeatable: bool = False) -> T:
        """Run ``work`` in one transaction; all of it again when it lost a race.

        Args:
            repeatable: that it was carried out is seen when it is repeated, so it is when its COMMIT is not answered.

        Raises:
            Unanswered: the connection was lost during COMMIT.
        """
        for attempt in range(1, ATTEMPTS + 1):
            wrote = False
            try:
                with Session(self.engine, expire_on_commit=False, info=self._info()) as tx:
                    result = work(tx)
                    tx.flush()
                    wrote = bool(tx.connection().info.get("wrote"))
                    tx.commit()
                    return result
            except Overtaken as overtaken:
                if attempt == ATTEMPTS:
                    raise Unavailable("too much of this changes at once; try again") from overtaken
            except DBAPIError as error:
                number = error_number(error)
                if wrote and number in LOST and not repeatable:
                    raise Unanswered from error
                if number not in RETRIED or attempt == ATTEMPTS:
                    raise
            time.sleep(0.01 * 2**attempt)
        raise RuntimeError("unreachable")

    def tried(self, work: Callable[[Session], T]) -> T:
        """What ``work`` gives in a transaction that is taken back: as if it had been done, and nothing is."""

        def taken_back(tx: Session) -> T:
            result = work(tx)
            tx.rollback()
            return result

        return self.run(taken_back)

    def _info(self) -> dict[str, object]:
        return {COLUMNS: self.columns, SEALS: self.seals}

    def joined(self, tx: Session) -> "UnitOfWork":
        """A unit of work whose use cases run inside a transaction that is open already."""
        return _Joined(self.engine, tx)


class _Joined(UnitOfWork):
    def __init__(self, engine: Engine, tx: Session) -> None:
        super().__init__(engine, tx.info.get(COLUMNS), tx.info.get(SEALS))
        self._tx = tx

    def run(self, work: Callable[[Session], T], *, repeatable: bool = False) -> T:
        return work(self._tx)


def at_one_moment(tx: Session) -> None:
    """Have all that a transaction reads be as of one moment, its first read; called before that."""
    tx.connection(execution_options={"isolation_level": "REPEATABLE READ"})


def use_case(function: Callable[Concatenate[Session, P], T]) -> Callable[Concatenate[UnitOfWork, P], T]:
    """Make a function of an open session one transaction of a unit of work."""

    @wraps(function)
    def run(uow: UnitOfWork, /, *args: P.args, **kwargs: P.kwargs) -> T:
        return uow.run(lambda tx: function(tx, *args, **kwargs))

    return run


DATABASE_ERRORS = (DBAPIError, PoolExhausted)
"""What a call to the database may end in: an answer of its own, or no connection to be had."""


def is_passing(error: Exception) -> bool:
    """Whether a call may succeed later: the database is away or full, or no connection was to be had."""
    return isinstance(error, PoolExhausted) or (
        isinstance(error, DBAPIError) and error_number(error) in RETRIED | SPENT
    )


def is_denied(error: Exception) -> bool:
    """Whether the account lacks a right."""
    return isinstance(error, DBAPIError) and error_number(error) in DENIED


def database_time(engine: Engine) -> datetime | None:
    """The database's own clock, UTC; None where it does not answer."""
    # A connection from before it was started again fails once, and with it go all others of that time.
    for _ in range(2):
        try:
            with engine.connect() as connection:
                found: datetime | None = connection.scalar(text("SELECT UTC_TIMESTAMP(6)"))
                return found.replace(tzinfo=UTC) if found else None
        except SQLAlchemyError:
            continue
    return None


def add_new(tx: Session, row: object) -> bool:
    """Add a row; False where one of the same name is there already, and nothing has changed."""
    try:
        with tx.begin_nested():
            tx.add(row)
    except IntegrityError:
        return False
    return True


def error_number(error: DBAPIError) -> int | None:
    """MariaDB's error number."""
    args = getattr(error.orig, "args", ())
    return args[0] if args and isinstance(args[0], int) else None
