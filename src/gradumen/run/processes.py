"""The processes of the service: started, watched, started again when they die, and ended together."""

import logging
import signal
import subprocess
import sys
import time
from dataclasses import dataclass, field

log = logging.getLogger("gradumen")
SHORTEST_REST, LONGEST_REST = 0.5, 30.0
"""Seconds before a process that died is started again; twice as long each time it dies young."""
OLD_ENOUGH = 60.0
WATCHED_EVERY = 0.1


@dataclass
class Child:
    """One process: what it is, which files it has from the parent, and what it is told, once that is known."""

    kind: str
    files: tuple[int, ...] = ()
    told: bytes = b""
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    rest: float = SHORTEST_REST
    due: float = field(default=0.0)

    @property
    def command(self) -> list[str]:
        """What it is started by."""
        return [sys.executable, "-m", "gradumen.run.begin", f"gradumen.run.{self.kind}"]

    def start(self) -> None:
        """Start it: it loads its parts and waits to be told.

        It is in a session of its own, so that Ctrl-C reaches the parent alone.
        """
        self.process = subprocess.Popen(
            self.command, stdin=subprocess.PIPE, pass_fds=self.files, start_new_session=True
        )
        self.started = time.monotonic()
        self._tell()

    def tell(self, told: bytes) -> None:
        """Tell it what it needs, from now on whenever it is started again."""
        self.told = told
        self._tell()

    def _tell(self) -> None:
        if self.process is None or self.process.stdin is None or not self.told:
            return
        try:
            self.process.stdin.write(self.told)
            self.process.stdin.flush()
        except BrokenPipeError:
            log.debug("the %s process ended before it was told", self.kind)

    def watch(self) -> None:
        """Start it again when it died, after a rest."""
        now = time.monotonic()
        if self.process is not None and self.process.poll() is not None:
            young = now - self.started < OLD_ENOUGH
            self.rest = min(2 * self.rest, LONGEST_REST) if young else SHORTEST_REST
            log.error("the %s process ended (%d); starting it again", self.kind, self.process.returncode)
            self._forget()
            self.due = now + self.rest
        if self.process is None and now >= self.due:
            self.start()

    def end(self) -> None:
        """Ask it to end."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()

    def wait(self, seconds: float) -> None:
        """Wait for its end; after a time it is not asked any more."""
        if self.process is None:
            return
        try:
            self.process.wait(seconds)
        except subprocess.TimeoutExpired:
            log.error("the %s process did not end within %.0f s", self.kind, seconds)
            self.process.kill()
            self.process.wait()
        if self.process.returncode not in (0, -signal.SIGTERM, -signal.SIGKILL):
            log.error("the %s process did not end as it should (%d)", self.kind, self.process.returncode)
        self._forget()

    def _forget(self) -> None:
        if self.process is not None and self.process.stdin is not None:
            try:
                self.process.stdin.close()
            except OSError:
                log.debug("the %s process had closed its input", self.kind)
        self.process = None


class Processes:
    """All of them."""

    def __init__(self, children: list[Child]) -> None:
        self.children = children
        self._over = False

    def start(self) -> None:
        """Start them: they load their parts while what they need is prepared."""
        for child in self.children:
            child.start()

    def run(self, told: bytes) -> None:
        """Tell them what they need, and watch over them until `stop` was called."""
        for child in self.children:
            child.tell(told)
        while not self._over:
            time.sleep(WATCHED_EVERY)
            for child in self.children:
                child.watch()
        log.info("stopping")

    def stop(self) -> None:
        """Ask for the end; may be called by a signal."""
        self._over = True

    def end(self, seconds: float) -> None:
        """End them all."""
        for child in self.children:
            child.end()
        deadline = time.monotonic() + seconds
        for child in self.children:
            child.wait(max(1.0, deadline - time.monotonic()))
