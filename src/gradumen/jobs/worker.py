"""The worker: does tasks, brings usage up to date, and puts the day's work on the list."""

import logging
import threading
import time
from collections.abc import Callable
from datetime import timedelta

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.core.errors import GradumenError, Unanswered, Unavailable
from gradumen.core.periods import Period
from gradumen.jobs import (
    archives,
    bill_runs,
    cloud_limits,
    cost_uploads,
    hosts,
    issuing,
    kind_rules,
    months,
    onboardings,
    ownership_rules,
    ownership_trials,
    pulls,
    usage_days,
    usage_remakes,
    what_ifs,
)
from gradumen.jobs.leases import Held, kept, now
from gradumen.jobs.marks import work_off
from gradumen.jobs.pieces import Pieces
from gradumen.jobs.rating import rate
from gradumen.store.unit_of_work import Engine, UnitOfWork
from gradumen.usecases import idempotency, tasks
from gradumen.usecases.billing.ownership_trials import forget_trials
from gradumen.usecases.metering.cost_estimates import estimate_costs
from gradumen.usecases.metering.limit_watch import watch_limits
from gradumen.usecases.metering.pool_days import note_pools
from gradumen.usecases.metering.pull_runs import schedule_pulls
from gradumen.usecases.metering.read_again import read_unknown_again
from gradumen.usecases.metering.refused_items import forget_refused
from gradumen.usecases.quotas.hosts import schedule_looks
from gradumen.usecases.rating import current_charges
from gradumen.usecases.rating.what_ifs import forget_what_ifs
from gradumen.usecases.retentions import forget_tasks
from gradumen.usecases.subscriptions.endings import tell_endings
from gradumen.usecases.subscriptions.moves_due import complete_moves
from gradumen.usecases.waiting import look

log = logging.getLogger("gradumen.worker")
SCHEDULED_EVERY = timedelta(minutes=10)
WATCHED_EVERY, WATCH_RESTS = 60.0, 30.0
"""Seconds between two looks at use beside limits, at least; and as a multiple of what a look took."""
LONGEST_REST = 2.0
"""Seconds that making usage rests at most."""


class Worker:
    """Works off what is due, again and again, until it is stopped."""

    usage_rests = 3.0
    """How long making usage rests after a pass, as a multiple of it; tasks do not wait for that."""
    pulls_every = 2.0
    """Seconds between two looks at whether a feed is to be fetched."""
    pair_rests = 10.0
    """How long a pair rests after it was rated, as a multiple of what that took: readings cannot keep it busy."""
    least_rest = timedelta(seconds=2)
    """How long a pair rests at least."""

    def __init__(
        self,
        uow: UnitOfWork,
        owner: Engine,
        *,
        others: Pieces | None = None,
        door: Door | None = None,
        directories: Directories | None = None,
        idle_seconds: float = 0.3,
    ) -> None:
        """``owner`` is the engine of the account that may make partitions; ``others`` take a part of large tasks.

        ``door`` leads to systems outside, ``directories`` are those that feeds are fetched from; without, none is.
        """
        self.uow, self.owner, self.idle_seconds = uow, owner, idle_seconds
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self.run, name="worker", daemon=True)
        self._kinds: dict[str, Callable[[Held], None]] = {
            tasks.BILL_RUN: lambda held: bill_runs.make(held, others),
            tasks.ISSUE: issuing.issue,
            tasks.WHAT_IF: lambda held: what_ifs.make(held, others),
            tasks.MONTHS: lambda held: months.make(held, owner),
            tasks.USAGE_DAYS: usage_days.make,
            tasks.ONBOARDING: lambda held: onboardings.make(held, door or Door([])),
            tasks.CLOUD_LIMITS: lambda held: cloud_limits.hold(held, door or Door([])),
            tasks.OWNERS: ownership_rules.mark,
            tasks.OWNERSHIP_TRIAL: ownership_trials.make,
            tasks.KINDS: kind_rules.read_again,
            tasks.REMAKE: usage_remakes.mark,
            tasks.COST_FILE: cost_uploads.take,
            tasks.PULL: lambda held: pulls.fetch(held, door or Door([]), directories or Directories("")),
            tasks.HOSTS: lambda held: hosts.look(held, door or Door([])),
            tasks.ARCHIVE: lambda held: archives.move(held, owner),
            tasks.UNDO_ONBOARDING: lambda held: onboardings.take_back(held, door or Door([])),
        }

    def start(self) -> None:
        """Begin in a thread of this process."""
        self._thread.start()

    def stop(self) -> None:
        """Finish the step under way and end."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(60)

    def run(self) -> None:
        """Work until told to stop."""
        rested, watched, pulled, scheduled = 0.0, 0.0, 0.0, now() - SCHEDULED_EVERY
        opened: Period | None = None
        while not self._stop.is_set():
            busy = False
            try:
                if now() - scheduled >= SCHEDULED_EVERY:
                    # First, so that what fails keeps nothing else waiting until it is tried again.
                    scheduled = now()
                    self.do_chores()
                if time.monotonic() >= pulled:
                    pulled = time.monotonic() + self.pulls_every
                    schedule_pulls(self.uow, at=now())
                waiting, newest = look(self.uow, at=now())
                if newest != opened:
                    self.open_months()
                    opened = newest
                if waiting.moves:
                    complete_moves(self.uow, at=now())
                while waiting.tasks and not self._stop.is_set() and self.do_next():
                    pass
                if waiting.marks and time.monotonic() >= rested:
                    rested = time.monotonic() + self.make_usage()
                if time.monotonic() >= watched:
                    watched = time.monotonic() + self.watch()
                busy = waiting.pairs and self.rate_next()
            except Exception:  # the outermost loop: whatever failed is tried again
                log.exception("a step failed; trying again")
            if not busy:
                self.rest()

    def rest(self) -> None:
        """Wait for what there may be to do."""
        self._stop.wait(self.idle_seconds)

    def do_chores(self) -> None:
        """What is done now and then: the day's tasks are listed, what is old goes, people are told what is near."""
        tasks.schedule_day(self.uow, at=now())
        idempotency.forget_keys(self.uow, at=now())
        forget_what_ifs(self.uow, at=now())
        forget_trials(self.uow, at=now())
        forget_tasks(self.uow, at=now())
        forget_refused(self.uow, at=now())
        cost_uploads.clear(self.uow)
        self.watch_capacity()
        read_unknown_again(self.uow, at=now())
        estimate_costs(self.uow, at=now())
        tell_endings(self.uow, at=now())

    def watch_capacity(self) -> None:
        """Put looks at the hosts of clouds that are due on the list, and note what there is of pools."""
        schedule_looks(self.uow, at=now())
        note_pools(self.uow, at=now())

    def make_usage(self) -> float:
        """Make the usage again that readings changed; gives for how many seconds that rests now."""
        began = time.monotonic()
        work_off(self.uow)
        # While readings pour in, their days become stale over and over; resting keeps time for them.
        return min(self.usage_rests * (time.monotonic() - began), LONGEST_REST)

    def watch(self) -> float:
        """Look at what is in use beside limits; gives for how many seconds that rests now."""
        began = time.monotonic()
        watch_limits(self.uow, at=now())
        return max(WATCHED_EVERY, WATCH_RESTS * (time.monotonic() - began))

    def open_months(self) -> None:
        """Have what is sold rated for the month that begins tomorrow, or has begun."""
        current_charges.open_periods(self.uow, at=now())

    def rate_next(self) -> bool:
        """Rate the pairs that are stale for longest and due; False where there are none."""
        pairs = current_charges.due_pairs(self.uow, at=now())
        if pairs:
            rate(self.uow, pairs, rests=self.pair_rests, least=self.least_rest)
        return bool(pairs)

    def do_next(self) -> bool:
        """Do the oldest task that is due; False where there is none."""
        lease = tasks.take_task(self.uow, at=now())
        if lease is None:
            return False
        try:
            with kept(self.uow, lease):
                self._kinds[lease.kind](Held(self.uow, lease))
        except Exception as error:  # whatever failed is an attempt that is seen
            again = not isinstance(error, GradumenError) or isinstance(error, Unanswered | Unavailable)
            problem = tasks.problem_of(error)
            log.warning("%s %s, attempt %d: %s", lease.kind, lease.subject, lease.attempt, problem, exc_info=again)
            tasks.fail_task(self.uow, lease=lease, problem=problem, again=again, at=now())
        else:
            tasks.finish_task(self.uow, lease=lease, at=now())
        return True
