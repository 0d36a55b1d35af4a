"""Archives what was measured before a month, part by part, and brings back what is archived of later ones."""

from gradumen.jobs.leases import Held, now
from gradumen.store.schema import compact_months
from gradumen.store.unit_of_work import Engine
from gradumen.usecases.metering.archived_months import (
    archive_some,
    bring_back,
    count_left,
    fix_readings,
    months_left,
)


def move(held: Held, owner: Engine) -> None:
    """Move readings to where they are wanted; what was done before it was stopped stays done."""
    done, total = 0, count_left(held.uow, lease=held.lease)
    with held.step("fix what was measured") as step:
        fixed = step.result["fixed"] = fix_readings(held.uow, lease=held.lease)
    if not fixed:
        with held.step("bring back") as step:
            while count := bring_back(held.uow, lease=held.lease, at=now()):
                done += count
                held.progress(done, total)
            step.result["readings"] = done
    months = months_left(held.uow, lease=held.lease)
    for month in months:
        with held.step(f"archive {month.text}") as step:
            before, after = done, 0
            while (some := archive_some(held.uow, lease=held.lease, month=month, after=after)) is not None:
                after, count = some
                done += count
                held.progress(done, max(done, total))
            step.result["readings"] = done - before
    held.progress(done, done)
    if months:
        with held.step("give their space back") as step:
            in_use = compact_months(owner, [month.text for month in months])
            if in_use:
                step.say(f"not of {', '.join(in_use)}, which somebody reads; the database fills it with what comes in")
