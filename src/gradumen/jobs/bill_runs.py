"""Does a bill run: usage brought up to date, then its drafts."""

from gradumen.jobs.leases import Held, now
from gradumen.usecases.billing.bill_runs import make_drafts
from gradumen.usecases.metering.stale_usage import refresh_usage


def make(held: Held) -> None:
    """Make the drafts of a bill run on usage that is up to date; a run that is made already stays."""
    with held.step("bring usage up to date") as step:
        step.result["marks worked off"] = refresh_usage(held.uow)
    with held.step("make drafts", period=held.lease.subject) as step:
        step.result["drafts"] = make_drafts(held.uow, lease=held.lease, at=now())
