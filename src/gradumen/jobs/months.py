"""Gives the readings of the months around now partitions of their own."""

from gradumen.core.periods import Period
from gradumen.jobs.leases import Held, now
from gradumen.store.schema import ensure_months
from gradumen.store.unit_of_work import Engine

BEHIND, AHEAD = 14, 3


def prepare(owner: Engine) -> list[str]:
    """Make what is missing by the account that may change tables; gives the months that have partitions now."""
    today = now()
    month = Period(today.year, today.month)
    months = [month]
    for _ in range(BEHIND):
        months.insert(0, months[0].before())
    for _ in range(AHEAD):
        months.append(months[-1].next())
    texts = [each.text for each in months]
    ensure_months(owner, texts)
    return texts


def make(held: Held, owner: Engine) -> None:
    """The day's task."""
    with held.step("make partitions") as step:
        months = prepare(owner)
        step.result.update(first=months[0], last=months[-1])
