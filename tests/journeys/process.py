"""The service as users run it: a parent with its processes, on a directory of its own."""

import os
import signal
import socket
import subprocess
import sys
from pathlib import Path

import psutil

from tests.waiting import wait_until_answers


class Process:
    """The service as users run it, on a directory of its own."""

    def __init__(self, data: Path, **environment: str) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.data, self.url = data, f"http://127.0.0.1:{self.port}"
        self.environment = {**os.environ, "GRADUMEN_CLOCK_CONTROL": "true", **environment}
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        with (self.data / "service.log").open("ab") as log:
            self.process = subprocess.Popen(
                [
                    sys.executable,
                    "-m",
                    "gradumen.cli.main",
                    "serve",
                    "--data",
                    str(self.data),
                    "--port",
                    str(self.port),
                ],
                env=self.environment,
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
            )
        self.wait_until_ready()

    def wait_until_ready(self) -> None:
        assert self.process is not None
        wait_until_answers(f"{self.url}/readyz", [self.process], self.data / "service.log")

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait(30)

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(60)

    def children(self, kind: str) -> list[psutil.Process]:
        """Its processes of a kind, ``api`` or ``worker``."""
        assert self.process is not None
        found = []
        for each in psutil.Process(self.process.pid).children():
            try:
                if each.cmdline()[-1:] == [f"gradumen.run.{kind}"]:
                    found.append(each)
            except psutil.Error:
                continue  # It ended as we looked.
        return found

    @property
    def database_pid(self) -> int:
        return int((self.data / "database" / "db.pid").read_text())
