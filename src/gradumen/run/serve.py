"""The service: private database where none is given, schema at head, processes for the interface and for work."""

import logging
import signal
import socket
import time

from gradumen.core.errors import Invalid
from gradumen.messages.mail import Server
from gradumen.run.begin import loading
from gradumen.run.child import Told, log_to_stderr
from gradumen.run.lock import lock_directory
from gradumen.run.processes import Child, Processes
from gradumen.settings import Settings

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
    processes = Processes(
        [
            *(Child("api", (listening.fileno(),)) for _ in range(settings.api_processes)),
            *(Child("worker") for _ in range(settings.worker_processes)),
        ]
    )
    for each in (signal.SIGTERM, signal.SIGINT):
        signal.signal(each, lambda *_: processes.stop())
    prepared = None
    try:
        processes.start()
        # Only now: what this loads the others load at the same time.
        with loading():
            from gradumen.run.preparing import Prepared

        prepared = Prepared(settings, fast_database=fast_database)
        url, owner_url = prepared.begin()
        log.info("listening on http://%s:%d for %s", settings.host, settings.port, ", ".join(sorted(hosts)))
        processes.run(Told(settings, url, owner_url, listening.fileno()).written())
    finally:
        processes.end(settings.shutdown_seconds + 5)
        listening.close()
        if prepared is not None:
            prepared.end()
        lock.close()


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
