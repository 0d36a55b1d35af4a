"""Does a bill run: usage and charges brought up to date, then the drafts of them."""

from datetime import timedelta

from gradumen.jobs.leases import Held, now
from gradumen.usecases.billing.bill_runs import make_drafts, pairs_before_drafts
from gradumen.usecases.metering.stale_usage import refresh_usage
from gradumen.usecases.rating.current_charges import MOST, rate_pairs

ROUNDS = 3
"""How often pairs are rated that are stale again; what comes later than that waits for the next run."""


def make(held: Held) -> None:
    """Make the drafts of a bill run of charges that are up to date; a run that is made already stays."""
    with held.step("bring usage up to date") as step:
        step.result["marks worked off"] = refresh_usage(held.uow)
    with held.step("bring charges up to date", period=held.lease.subject) as step:
        rated = 0
        for _ in range(ROUNDS):
            stale = pairs_before_drafts(held.uow, lease=held.lease)
            total = rated + sum(len(pairs) for pairs in stale.values())
            for pairs in stale.values():
                for first in range(0, len(pairs), MOST):
                    chosen = pairs[first : first + MOST]
                    rated += rate_pairs(held.uow, chosen, now=now, rests=0, least=timedelta(0))
                    held.progress(rated, total)
        step.result["pairs rated"] = rated
    with held.step("make drafts", period=held.lease.subject) as step:
        step.result["drafts"] = make_drafts(held.uow, lease=held.lease, at=now())
