"""Has the usage made again that changed rules of ownership reach, month by month."""

from datetime import date
from itertools import pairwise

from gradumen.core.periods import months_since
from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.changed_owners import feeds_to_mark, mark_costs, mark_some


def mark(held: Held) -> None:
    """Mark what started from the first changed day on; done twice it is made again twice, and comes to the same."""
    feeds = feeds_to_mark(held.uow, lease=held.lease)
    first, end = (date.fromisoformat(held.lease.inputs[each]) for each in ("from", "to"))
    months = _months(first, end) if feeds else []
    for count, (since, until) in enumerate(months):
        held.progress(count, len(months))
        with held.step(f"usage from {since}", until=until.isoformat()) as step:
            step.result["marked"] = _mark(held, feeds, since, until)
    held.progress(len(months), len(months))


def _mark(held: Held, feeds: list[int], first: date, end: date) -> int:
    """Mark usage and costs of some days; gives how many days of resources are made again."""
    after = marked = 0
    while True:
        some = mark_some(held.uow, lease=held.lease, feeds=feeds, first=first, end=end, after=after, at=now())
        if some is None:
            break
        after, marks = some
        marked += marks
    mark_costs(held.uow, lease=held.lease, feeds=feeds, first=first, end=end, at=now())
    return marked


def _months(first: date, end: date) -> list[tuple[date, date]]:
    """Days from one up to another, a month at a time.

    >>> _months(date(2026, 8, 20), date(2026, 9, 2))
    [(datetime.date(2026, 8, 20), datetime.date(2026, 9, 1)), (datetime.date(2026, 9, 1), datetime.date(2026, 9, 2))]
    """
    return [
        (max(first, each), min(end, following)) for each, following in pairwise(months_since(first, end)) if each < end
    ]
