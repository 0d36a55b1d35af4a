"""The service: private database where none is given, schema at head, processes for the interface and for work."""

import logging
import secrets
import signal
import socket
import time
from datetime import UTC, datetime
from pathlib import Path

from gradumen.core.errors import Invalid
from gradumen.messages.mail import Server
from gradumen.run.child import CODE_FILE, Told, log_to_stderr
from gradumen.run.database import Keeper, PrivateDatabase, start_private_database
from gradumen.run.lock import lock_directory
from gradumen.run.processes import Child, Processes
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.access.set_up import is_set_up
from gradumen.usecases.rating.current_charges import release_pairs
from gradumen.usecases.sealing import check_seals
from gradumen.usecases.tasks import release_leases

log = logging.getLogger("gradumen")
PORT_SECONDS = 5
"""How long a port is waited for that processes of an earlier service still have."""


def serve(settings: Settings, *, fast_database: bool = False) -> None:
    """Run the service until it is told to stop; its processes and the private database stop with it.

    Raises:
        WrongSchema: a shared database is not at head.
        Invalid: the port is taken.
        Conflict: another service runs on the data directory.
    """
    log_to_stderr()
    hosts = settings.known_hosts
    if settings.smtp:
        Server.read(settings.smtp)
    lock = lock_directory(settings.data)
    listening = _listen(settings)
    database: PrivateDatabase | None = None
    keeper: Keeper | None = None
    if not settings.database_url:
        database = start_private_database(settings.data / "database", fast=fast_database)
        keeper = Keeper(database, fast=fast_database)
        log.info("database %s, pid %d", "adopted" if database.adopted else "started", database.pid)
    try:
        url = settings.database_url or (database.url if database else "")
        owner_url = database.owner_url if database else settings.schema_url or settings.database_url
        _prepare(settings, url, owner_url, private=database is not None)
        told = Told(settings, url, owner_url, listening.fileno()).written()
        processes = Processes(
            [
                *(Child("api", told, (listening.fileno(),)) for _ in range(settings.api_processes)),
                *(Child("worker", told) for _ in range(settings.worker_processes)),
            ]
        )
        for each in (signal.SIGTERM, signal.SIGINT):
            signal.signal(each, lambda *_: processes.stop())
        log.info("listening on http://%s:%d for %s", settings.host, settings.port, ", ".join(sorted(hosts)))
        try:
            processes.run()
        finally:
            processes.end(settings.shutdown_seconds + 5)
    finally:
        listening.close()
        if keeper is not None:
            keeper.stop()
        lock.close()


def _prepare(settings: Settings, url: str, owner_url: str, *, private: bool) -> None:
    """Schema at head, no leases of processes that are gone, a code where nobody is set up."""
    engine, owner = make_engine(url), make_engine(owner_url, pool_size=1)
    try:
        if private:
            schema.migrate(owner)
        elif schema.may_change_tables(engine):
            log.warning(
                "the service's account may change tables; give it rows alone, see docs/operator.md, Shared database"
            )
        schema.check(engine)
        uow = UnitOfWork(engine, seals=Seals(settings.keys))
        check_seals(uow)
        if private:
            release_leases(uow, at=datetime.now(UTC))
            release_pairs(uow)
        _set_up_code(settings.data, uow)
    finally:
        engine.dispose()
        owner.dispose()


def _listen(settings: Settings) -> socket.socket:
    """Listen on the port; calls wait until a process takes them.

    Raises:
        Invalid: it is taken.
    """
    listening = socket.socket(socket.AF_INET6 if ":" in settings.host else socket.AF_INET)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    deadline = time.monotonic() + PORT_SECONDS
    while True:
        try:
            listening.bind((settings.host, settings.port))
            listening.listen(2048)
            return listening
        except OSError as error:
            if time.monotonic() < deadline:
                time.sleep(0.05)
                continue
            listening.close()
            raise Invalid(
                f"cannot listen on {settings.host}:{settings.port} ({error.strerror}); choose another with --port",
                field="port",
                value=settings.port,
            ) from None


def _set_up_code(data: Path, uow: UnitOfWork) -> None:
    """While nobody is set up, a code for the first set-up, in a file that only this account reads."""
    if is_set_up(uow):
        return
    data.mkdir(parents=True, exist_ok=True)
    path = data / CODE_FILE
    path.touch(mode=0o600)
    path.chmod(0o600)
    path.write_text(secrets.token_urlsafe(16) + "\n")
    log.info("no provider yet; the set-up code is in %s", path)
