"""The worker: brings usage up to date, makes drafts of bill runs, prepares the readings' months."""

import logging
import threading
import time
from datetime import UTC, datetime

from gradumen.core.errors import GradumenError, Unanswered
from gradumen.core.periods import Period
from gradumen.store.schema import ensure_months
from gradumen.store.unit_of_work import Engine, UnitOfWork
from gradumen.usecases.billing.bill_runs import fail_bill_run, make_drafts, take_bill_run
from gradumen.usecases.metering.usage import refresh_usage

log = logging.getLogger("gradumen.worker")
MONTHS_BEHIND, MONTHS_AHEAD = 14, 3
REST = 3
"""How long making usage rests after a pass, as a multiple of it; bill runs do not wait for that."""


class Worker:
    """A thread that works off what is due, again and again, until it is stopped."""

    def __init__(self, uow: UnitOfWork, owner: Engine, *, idle_seconds: float = 0.3) -> None:
        """``owner`` is the engine of the account that may make partitions."""
        self.uow, self.owner, self.idle_seconds = uow, owner, idle_seconds
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="worker", daemon=True)

    def start(self) -> None:
        """Prepare the months around now and begin."""
        prepare_months(self.owner, datetime.now(UTC))
        self._thread.start()

    def stop(self) -> None:
        """Finish the step under way and end."""
        self._stop.set()
        self._thread.join(60)

    def _run(self) -> None:
        rested = 0.0
        while not self._stop.is_set():
            try:
                work_bill_runs(self.uow)
                began = time.monotonic()
                if began >= rested:
                    refresh_usage(self.uow)
                    # While readings pour in, their hours become stale over and over; resting keeps time for them.
                    rested = time.monotonic() + REST * (time.monotonic() - began)
            except Exception:  # the outermost loop: whatever failed is tried again
                log.exception("a step failed; trying again")
            self._stop.wait(self.idle_seconds)


def prepare_months(owner: Engine, now: datetime) -> None:
    """Give the readings of the months around now partitions of their own."""
    month = Period(now.year, now.month)
    months = [month.text]
    behind, ahead = month, month
    for _ in range(MONTHS_BEHIND):
        behind = behind.before()
        months.append(behind.text)
    for _ in range(MONTHS_AHEAD):
        ahead = ahead.next()
        months.append(ahead.text)
    ensure_months(owner, months)


def work_bill_runs(uow: UnitOfWork) -> None:
    """Make the drafts of every bill run that waits, on usage that is up to date."""
    while (taken := take_bill_run(uow, at=datetime.now(UTC))) is not None:
        run_id, fence = taken
        try:
            refresh_usage(uow)
            make_drafts(uow, run_id=run_id, fence=fence, at=datetime.now(UTC))
        except Unanswered:
            raise
        except GradumenError as problem:
            log.warning("bill run %s: %s", run_id, problem.message)
            fail_bill_run(uow, run_id=run_id, fence=fence, problem=problem.message)
