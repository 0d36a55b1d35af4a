"""A process that answers calls: ``python -m gradumen.run.api``, started by `gradumen.run.serve`."""

import gc
import socket

import uvicorn
from fastapi import FastAPI

from gradumen.api.app import make_app
from gradumen.run.child import CODE_FILE, begin
from gradumen.run.http import TimedHttp
from gradumen.settings import Settings
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine

KEPT_OPEN = 65
"""Seconds that an idle connection stays open: longer than clients keep theirs, so that none is used as it closes."""


def main() -> None:
    """Answer calls until told to end, or until the parent is gone."""
    told = begin()
    engine = make_engine(told.url)
    try:
        app = make_app(
            told.settings,
            UnitOfWork(engine, told.settings.columns, Seals(told.settings.keys)),
            set_up_file=told.settings.data / CODE_FILE,
        )
        # What is loaded by now stays: there is no need to look for garbage in it again and again.
        gc.collect()
        gc.freeze()
        uvicorn.Server(_http(app, told.settings)).run(sockets=[socket.socket(fileno=told.listening)])
    finally:
        engine.dispose()


def _http(app: FastAPI, settings: Settings) -> uvicorn.Config:
    """How the application is served: with time-outs, and believing only the proxies that are named."""
    return uvicorn.Config(
        app,
        log_level="warning",
        access_log=False,
        timeout_keep_alive=KEPT_OPEN,
        timeout_graceful_shutdown=settings.shutdown_seconds,
        http=type("Http", (TimedHttp,), {"header_seconds": settings.header_seconds}),
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=settings.trusted_proxies,
    )


if __name__ == "__main__":
    main()
