"""The service: private database where none is given, schema at head, worker, HTTP."""

import logging
import secrets
import signal
import socket
import sys
from pathlib import Path

import uvicorn
from fastapi import FastAPI

from gradumen.api.app import make_app
from gradumen.core.errors import Invalid
from gradumen.jobs.worker import Worker
from gradumen.run.database import Keeper, PrivateDatabase, start_private_database
from gradumen.run.http import TimedHttp
from gradumen.run.lock import lock_directory
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.access.set_up import is_set_up
from gradumen.usecases.billing.bill_runs import release_bill_runs

log = logging.getLogger("gradumen")
CODE_FILE = "set-up-code"
KEPT_OPEN = 65
"""Seconds that an idle connection stays open: longer than clients keep theirs, so that none is used as it closes."""


def serve(settings: Settings, *, fast_database: bool = False) -> None:
    """Run the service until it is told to stop; the private database stops with it.

    Raises:
        WrongSchema: a shared database is not at head.
        Invalid: the port is taken.
        Conflict: another service runs on the data directory.
    """
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(name)s %(message)s", stream=sys.stderr)
    logging.getLogger("alembic").setLevel(logging.WARNING)
    _check_port(settings)
    hosts = settings.known_hosts
    lock = lock_directory(settings.data)
    database: PrivateDatabase | None = None
    keeper: Keeper | None = None
    if not settings.database_url:
        database = start_private_database(settings.data / "database", fast=fast_database)
        keeper = Keeper(database, fast=fast_database)
        log.info("database %s, pid %d", "adopted" if database.adopted else "started", database.pid)
    try:
        engine = make_engine(settings.database_url or (database.url if database else ""))
        owner = make_engine(
            database.owner_url if database else settings.schema_url or settings.database_url, pool_size=1
        )
        if database is not None:
            schema.migrate(owner)
        elif schema.may_change_tables(engine):
            log.warning(
                "the service's account may change tables; give it rows alone, see docs/operator.md, Shared database"
            )
        schema.check(engine)
        uow = UnitOfWork(engine)
        if database is not None:
            release_bill_runs(uow)
        code = None if is_set_up(uow) else _set_up_code(settings.data)
        worker = Worker(uow, owner)
        worker.start()
        app = make_app(settings, uow, set_up_code=code, set_up_file=settings.data / CODE_FILE)
        log.info("listening on http://%s:%d for %s", settings.host, settings.port, ", ".join(sorted(hosts)))
        # The server raises the signal that ended it once more when it is done; what follows here must still run.
        for each in (signal.SIGTERM, signal.SIGINT):
            signal.signal(each, lambda *_: None)
        try:
            uvicorn.Server(_http(app, settings)).run()
        finally:
            worker.stop()
            engine.dispose()
            owner.dispose()
    finally:
        if keeper is not None:
            keeper.stop()
        lock.close()


def _http(app: FastAPI, settings: Settings) -> uvicorn.Config:
    """How the application is served: with time-outs, and believing only the proxies that are named."""
    return uvicorn.Config(
        app,
        host=settings.host,
        port=settings.port,
        log_level="warning",
        access_log=False,
        timeout_keep_alive=KEPT_OPEN,
        timeout_graceful_shutdown=settings.shutdown_seconds,
        http=type("Http", (TimedHttp,), {"header_seconds": settings.header_seconds}),
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=settings.trusted_proxies,
    )


def _check_port(settings: Settings) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError as error:
            raise Invalid(
                f"cannot listen on {settings.host}:{settings.port} ({error.strerror}); choose another with --port",
                field="port",
                value=settings.port,
            ) from None


def _set_up_code(data: Path) -> str:
    """A code for the first set-up, in a file that only this account reads."""
    data.mkdir(parents=True, exist_ok=True)
    path = data / CODE_FILE
    code = secrets.token_urlsafe(16)
    path.touch(mode=0o600)
    path.chmod(0o600)
    path.write_text(code + "\n")
    log.info("no provider yet; the set-up code is in %s", path)
    return code
