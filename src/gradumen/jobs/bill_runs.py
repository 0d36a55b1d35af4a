"""Does a bill run: usage and charges brought up to date, then drafts of them, a transaction for a few buyers."""

from collections.abc import Iterator, Sequence
from datetime import timedelta
from functools import partial
from uuid import UUID

from gradumen.core.errors import Conflict, GradumenError, Unanswered
from gradumen.jobs.leases import Held, now
from gradumen.jobs.marks import work_off
from gradumen.jobs.pieces import Pieces, done
from gradumen.jobs.rating import rate
from gradumen.usecases.billing.bill_runs import finish_run, list_buyers, make_drafts, pairs_before_drafts

TOGETHER = 25
"""Drafts of so many buyers are made in one transaction, and then progress is told."""
ROUNDS = 3
"""How often pairs are rated that are stale again; what comes later than that waits for the next run."""


def make(held: Held, others: Pieces | None) -> None:
    """Make the drafts of a bill run of charges that are up to date; a run that is made already stays.

    Args:
        others: may rate many pairs at once.

    Raises:
        Conflict: some buyers could not be billed, the others have their drafts; the step's log says which and why.
    """
    with held.step("bring usage up to date") as step:
        step.result["marks worked off"] = work_off(held.uow)
    with held.step("bring charges up to date", period=held.lease.subject) as step:
        rated = 0
        for _ in range(ROUNDS):
            stale = pairs_before_drafts(held.uow, lease=held.lease, at=now())
            if not stale:
                break
            total = rated + sum(len(pairs) for pairs in stale)
            for count in done(held.uow, others, partial(rate, rests=0, least=timedelta(0)), stale):
                rated += count
                held.progress(rated, total, "months rated")
        step.result["pairs rated"] = rated
    with held.step("make drafts", period=held.lease.subject) as step:
        refused: list[str] = []
        buyers = list_buyers(held.uow, lease=held.lease)
        for first in range(0, len(buyers), TOGETHER):
            some = buyers[first : first + TOGETHER]
            for problem in _drafts(held, some):
                refused.append(problem.message)
                step.say(problem.message)
            held.progress(first + len(some) - len(refused), len(buyers), "customers")
        step.result.update(buyers=len(buyers), refused=len(refused))
        if refused:
            more = f"; so it is with {len(refused) - 1} more buyers, see the log" if len(refused) > 1 else ""
            raise Conflict(refused[0] + more)
        step.result["drafts"] = finish_run(held.uow, lease=held.lease, at=now())


def _drafts(held: Held, buyers: Sequence[UUID]) -> Iterator[GradumenError]:
    """Make the drafts of buyers together, or where one is refused each by itself; gives the refusals."""
    try:
        make_drafts(held.uow, lease=held.lease, buyers=buyers, at=now())
    except Unanswered:
        raise
    except GradumenError as problem:
        if len(buyers) == 1:
            yield problem
            return
        for buyer in buyers:
            yield from _drafts(held, [buyer])
