"""Makes all usage that is marked, after a release that keeps it in another way, so that its progress is seen."""

from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.stale_usage import count_marks, refresh_batch


def make(held: Held) -> None:
    """Work off the marks that there are; killed in between, it goes on with those that are left."""
    total, done = count_marks(held.uow), 0
    with held.step("make usage from readings", marks=total) as step:
        while count := refresh_batch(held.uow, at=now()):
            done += count
            held.progress(done, max(total, done))
        step.result["marks worked off"] = done
