"""The schema's state: bring it to head, and refuse to work on another."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, make_url, text
from sqlalchemy.exc import OperationalError

from gradumen.core.errors import GradumenError


class WrongSchema(GradumenError):
    """The database is not at the schema that this version works on."""

    code = "wrong_schema"


def alembic_config(engine: Engine) -> Config:
    """Alembic's configuration for this database."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["engine"] = engine
    return config


def head() -> str:
    """The newest revision that this version knows."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    revision = ScriptDirectory.from_config(config).get_current_head()
    if revision is None:
        raise WrongSchema("this installation has no migrations; install it again")
    return revision


def current(engine: Engine) -> str | None:
    """The revision that the database is at; None when it is empty."""
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision()


def migrate(engine: Engine, revision: str = "head") -> None:
    """Bring the database to a revision; where it is at head already, nothing is loaded for that."""
    if revision == "head" and current(engine) == head():
        return
    command.upgrade(alembic_config(engine), revision)


def check(engine: Engine) -> None:
    """Check that the database is at head, and takes many rows at once (`gradumen.store.bulk`).

    Raises:
        WrongSchema: it is not, or does not; names the command or setting that mends it.
    """
    found = current(engine)
    if found != head():
        raise WrongSchema(
            f"the database is at schema {found or 'none'}, this version needs {head()}; run: gradumen migrate"
        )
    with engine.connect() as connection:
        if not connection.scalar(text("SELECT @@local_infile")):
            raise WrongSchema("the database refuses LOAD DATA LOCAL; set local_infile=ON in its configuration")


def may_change_tables(engine: Engine) -> bool:
    """Whether the engine's account could take away the triggers that guard what is issued."""
    with engine.connect() as connection:
        grants = " ".join(connection.scalars(text("SHOW GRANTS")))
    return any(right in grants for right in ("ALL PRIVILEGES", "ALTER", "DROP", "TRIGGER"))


def count_tables(engine: Engine) -> int:
    """How many tables the database has."""
    with engine.connect() as connection:
        counted = "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()"
        return int(connection.scalar(text(counted)) or 0)


def way_to(url: str) -> dict[str, str | int]:
    """What MariaDB's own programs need to reach a database: user, password, and socket or host and port."""
    found = make_url(url)
    socket = found.query.get("unix_socket")
    way: dict[str, str | int | None] = {"user": found.username, "password": found.password}
    way |= {"socket": str(socket)} if socket else {"host": found.host, "port": found.port}
    return {name: value for name, value in way.items() if value}


def name_of(url: str) -> str:
    """The name of the database at an address."""
    return make_url(url).database or ""


_LOCK_WAIT_TIMEOUT = 1205
PARTITIONED = ("readings", "usage_days")
"""Tables with a partition a month."""


def ensure_months(engine: Engine, months: list[str]) -> None:
    """Give what is kept by month partitions of its own for each of these months (YYYY-MM), and for all before them."""
    with engine.connect() as connection:
        for table in PARTITIONED:
            for month in _missing(connection, table, months):
                year, number = int(month[:4]), int(month[5:])
                until = f"{year + number // 12:04d}-{number % 12 + 1:02d}-01"
                connection.execute(
                    text(
                        f"ALTER TABLE {table} REORGANIZE PARTITION p_later INTO (PARTITION p{year:04d}{number:02d} "
                        f"VALUES LESS THAN ('{until}'), PARTITION p_later VALUES LESS THAN (MAXVALUE))"
                    )
                )
        connection.commit()


def compact_months(engine: Engine, months: list[str]) -> list[str]:
    """Give back the space of readings that months (YYYY-MM) no longer have; gives those that somebody has in use."""
    in_use = []
    with engine.connect() as connection:
        there = _partitions(connection, "readings")
        for month in months:
            name = f"p{month.replace('-', '')}"
            if name not in there:
                continue
            rebuild = f"SET STATEMENT lock_wait_timeout=5 FOR ALTER TABLE readings REBUILD PARTITION {name}"
            try:
                connection.execute(text(rebuild))
            except OperationalError as error:
                if getattr(error.orig, "args", (0,))[0] != _LOCK_WAIT_TIMEOUT:
                    raise
                in_use.append(month)
        connection.commit()
    return in_use


def _missing(connection: Connection, table: str, months: list[str]) -> list[str]:
    """The months after the newest partition of a table."""
    newest = max(_partitions(connection, table), default="")
    return [month for month in sorted(months) if f"p{month.replace('-', '')}" > newest]


def _partitions(connection: Connection, table: str) -> set[str]:
    """The partitions of months that a table has."""
    names = connection.scalars(
        text(
            "SELECT partition_name FROM information_schema.partitions "
            "WHERE table_schema = DATABASE() AND table_name = :table AND partition_name <> 'p_later'"
        ),
        {"table": table},
    )
    return set(names)
