"""Which stretches of subscriptions a link sells in the month, and when each version of its card holds."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime
from fractions import Fraction
from itertools import pairwise
from zoneinfo import ZoneInfo

from tests.worlds.worlds import FIRST, GIB, LAST, Customer, Family, Link, Stretch, Subscription

ZERO = Fraction(0)
Place = int
"""Of a stretch among all that a link sells in the month: by customer, subscription and time."""
Cell = tuple[int, Place]
"""Number of the version, and the stretch in which something was used."""


def day_start(day: date, zone: ZoneInfo) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)


def seconds(start: datetime, end: datetime) -> int:
    return max(0, int((end - start).total_seconds()))


@dataclass(frozen=True)
class Span:
    """A stretch and the part of the month that it covers in the seller's zone."""

    customer: Customer
    subscription: Subscription
    stretch: Stretch
    start: datetime
    end: datetime
    allowance: int
    """In bytes a month."""

    def within(self, since: datetime, until: datetime) -> int:
        """Its seconds between two moments."""
        return seconds(max(self.start, since), min(self.end, until))

    @property
    def raises(self) -> bool:
        """Whether what is charged at least is raised for it."""
        return not (self.stretch.paused or self.stretch.trial)

    def scope(self, over: str, project: str = "") -> tuple[str, ...]:
        """What it shares with others that add up."""
        own = self.customer.slug
        scopes = {"buyer": (), "tenant": (own,), "project": (own, project)}
        return scopes.get(over, (own, self.subscription.name))


def spans(family: Family, customer: Customer, link: Link) -> Iterator[Span]:
    """What is held when, by which terms; what begins or ends on the day of a move does so at its moment."""
    since, until = customer.since(link), customer.until(link)
    turn = since or until

    def moment(day: date) -> datetime:
        moves = turn and customer.move and day == customer.move.day < LAST
        return turn if turn and moves else day_start(day, link.zone)

    for subscription in customer.subscriptions:
        stop = min(LAST, subscription.ends_on or LAST)
        agreed = [
            each
            for each in family.terms
            if each.link is link and (each.customer, each.subscription) == (customer.slug, subscription.name)
        ]
        days = sorted({each.day for each in (*subscription.stretches, *agreed) if each.day < stop})
        for day, last in pairwise([*days, stop]):
            stretch = [each for each in subscription.stretches if each.day <= day][-1]
            own = [each.allowance * GIB for each in agreed if each.day <= day]
            allowance = own[-1] if own else family.allowances.get(stretch.tier, 0)
            begins, ends = moment(day), moment(last)
            begins, ends = max(begins, since or begins), min(ends, until or ends)
            if begins < ends:
                yield Span(customer, subscription, stretch, begins, ends, allowance)


def held(link: Link, number: int) -> tuple[datetime, datetime]:
    """From when to when a version holds in the month."""
    later = [each.day for each in link.versions[number + 1 :]]
    start = max(FIRST, link.versions[number].day)
    return day_start(start, link.zone), day_start(min([LAST, *later]), link.zone)


def rounded(value: Fraction, places: int) -> Fraction:
    """Half away from zero."""
    scaled = abs(value) * 10**places
    whole = int(scaled + Fraction(1, 2))
    return Fraction(whole if value >= 0 else -whole, 10**places)


def whole_month(link: Link) -> int:
    return seconds(day_start(FIRST, link.zone), day_start(LAST, link.zone))
