"""Has the usage of an organisation's month made again, day by day."""

from datetime import date, timedelta

from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.usage_remakes import mark_sent, mark_used

DAY = timedelta(days=1)


def mark(held: Held) -> None:
    """Mark all of it; done twice it is made again twice, and comes to the same."""
    first, last = (date.fromisoformat(held.lease.inputs[each]) for each in ("from", "to"))
    days = [first + DAY * number for number in range((last - first).days + 1)]
    with held.step("what was sent as theirs", **{"from": f"{first}", "to": f"{last}"}) as step:
        step.result["marks"] = mark_sent(held.uow, lease=held.lease, first=first, end=last + DAY, at=now())
    with held.step("what they have by now") as step:
        marks = 0
        for count, day in enumerate(days):
            held.progress(count, len(days))
            marks += mark_used(held.uow, lease=held.lease, day=day, at=now())
        held.progress(len(days), len(days))
        step.result["marks"] = marks
