"""A task in a worker's hands: its lease is kept while it works, and each step is seen."""

import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import Any

from gradumen.core.tasks import LEASE, Lease
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases import tasks

BEAT = LEASE / 6
"""How often a worker says that it is still there."""


def now() -> datetime:
    """The real time, which leases go by."""
    return datetime.now(UTC)


class Step:
    """What a step says while it runs, and what it comes to."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self.result: dict[str, Any] = {}

    def say(self, line: str) -> None:
        """Add a line to the step's log."""
        self.lines.append(line)


class Held:
    """A leased task, as the code that does it sees it."""

    def __init__(self, uow: UnitOfWork, lease: Lease) -> None:
        self.uow, self.lease = uow, lease

    @contextmanager
    def step(self, name: str, **inputs: Any) -> Iterator[Step]:
        """Do a step: it is on the list from its begin, and has its result, or its problem, when it ends."""
        step = Step()
        position = tasks.begin_step(self.uow, lease=self.lease, name=name, inputs=inputs, at=now())
        try:
            yield step
        except Exception as error:
            self._end(position, step, tasks.problem_of(error))
            raise
        self._end(position, step, None)

    def _end(self, position: int, step: Step, problem: str | None) -> None:
        lines = [*step.lines, *([problem] if problem else [])]
        result: Mapping[str, Any] | None = step.result or None
        tasks.end_step(
            self.uow,
            lease=self.lease,
            position=position,
            result=result,
            problem=problem,
            log="\n".join(lines),
            at=now(),
        )

    def progress(self, made: int, total: int | None = None, counted: str | None = None) -> None:
        """Say how far it is; ``counted`` where something else is counted now."""
        tasks.tell_progress(self.uow, lease=self.lease, made=made, total=total, counted=counted)


@contextmanager
def kept(uow: UnitOfWork, lease: Lease) -> Iterator[None]:
    """Keep a lease from running out while its task is worked on."""
    over = threading.Event()

    def beat() -> None:
        while not over.wait(BEAT.total_seconds()):
            try:
                if not tasks.keep_lease(uow, lease=lease, at=now()):
                    return
            except Exception:  # noqa: BLE001  # the database may be away for a moment; the next beat tries again
                continue

    thread = threading.Thread(target=beat, name="lease", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()
