"""Which stretches of subscriptions a link sells in the month, and when each version of its card holds."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from itertools import pairwise
from zoneinfo import ZoneInfo

from tests.worlds.used import Level, Month, Told, Use
from tests.worlds.worlds import GIB, LAST, Customer, Family, Link, Stretch, Subscription, Version, among, months_on

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
    """A stretch and the part of the month that it covers in the seller's zone; ``whole`` is from when to when it is."""

    customer: Customer
    subscription: Subscription
    stretch: Stretch
    start: datetime
    end: datetime
    allowance: int
    """In bytes a month."""
    whole: tuple[datetime, datetime]
    side: str = ""
    """Through whom it is bought, where several links are looked at together: what cumulates begins anew on another."""
    named: bool = False
    """Whether it is sold by the named card."""
    foreign: bool = False
    """Whether its plan is of somebody below who sells it: no fees are known of it."""

    def within(self, since: datetime, until: datetime) -> int:
        """Its seconds between two moments."""
        return seconds(max(self.start, since), min(self.end, until))

    def holds(self, link: Link, number: int, month: Month) -> int:
        """For how many seconds it is sold by a version of its card."""
        return self.within(*held(link, number, month)) if link.versions[number].named == self.named else 0

    @property
    def raises(self) -> bool:
        """Whether what is charged at least is raised for it."""
        return not (self.stretch.paused or self.stretch.trial)

    def scope(self, over: str, project: str = "") -> tuple[str, ...]:
        """What it shares with others that add up."""
        own = (self.customer.slug, self.side)
        scopes = {"buyer": (), "tenant": own, "project": (self.customer.slug, project)}
        return scopes.get(over, (*own, self.subscription.name))


def spans(family: Family, customer: Customer, link: Link, month: Month) -> Iterator[Span]:
    """What is held when, by which terms; what begins or ends on the day of a move does so at its moment."""
    for since, until in customer.bought(link):
        yield from _spans(family, customer, link, month, since, until)


def _spans(
    family: Family, customer: Customer, link: Link, month: Month, since: datetime | None, until: datetime | None
) -> Iterator[Span]:
    move = customer.move
    turns = {move.day: move.at, **({move.back: move.back_at} if move.back and move.back_at else {})} if move else {}
    back = move.back if move and since and since == move.back_at and among(link, move.left) else None

    def moment(day: date) -> datetime:
        return turns[day] if day in turns and turns[day] in (since, until) else day_start(day, link.zone)

    first, end = (day_start(day, link.zone) for day in month)
    for subscription in customer.subscriptions:
        stop = subscription.ends_on or months_on(LAST, 6)
        agreed = [
            each
            for each in family.terms
            if each.link is link
            and (each.customer, each.subscription) == (customer.slug, subscription.name)
            # What was agreed before it moved is over where it comes back.
            and not back
        ]
        cards = family.cards_of(link, customer.slug, subscription.name)
        stretches = as_sold(family, customer, link, subscription)
        turning = {each.day for each in (*stretches, *agreed, *cards)}
        if link.renews and family.months:
            turning.add(months_on(subscription.stretches[0].day, family.months))
        days = sorted(day for day in turning if day < stop)
        for day, last in pairwise([*days, stop]):
            stretch = [each for each in stretches if each.day <= day][-1]
            own = [each.allowance * GIB for each in agreed if each.day <= day]
            given = {} if family.is_foreign(link) else family.given(stretch)
            allowance = own[-1] if own else given.get(stretch.tier, 0)
            begins, ends = moment(day), moment(last)
            begins, ends = max(begins, since or begins), min(ends, until or ends)
            start, stops = max(begins, first), min(ends, end)
            if start < stops:
                named = family.is_named(link, customer.slug, subscription.name, max(day, back or day))
                yield Span(
                    customer,
                    subscription,
                    stretch,
                    start,
                    stops,
                    allowance,
                    (begins, ends),
                    named=named,
                    foreign=family.is_foreign(link),
                )


def as_sold(family: Family, customer: Customer, link: Link, subscription: Subscription) -> list[Stretch]:
    """What holds from day to day on a link: above who sells directly it is free as long as the plan says, and no longer."""
    if family.is_foreign(link):
        return [replace(each, trial=False) for each in subscription.stretches]
    first, *later = subscription.stretches
    until = first.day + timedelta(days=family.trial)
    if link.buyer == customer.slug or not first.trial or until >= (later[0].day if later else LAST):
        return subscription.stretches
    charged = replace(first, day=until, trial=False)
    return [first, charged, *later[1:]] if family.trial else [charged, *later[1:]]


def held(link: Link, number: int, month: Month) -> tuple[datetime, datetime]:
    """From when to when a version holds in the month; not at all, where the end is before."""
    version = link.versions[number]
    later = [each.day for each in link.versions[number + 1 :] if each.named == version.named]
    start = max(month[0], version.day)
    return day_start(start, link.zone), day_start(min([month[1], *later]), link.zone)


def cell_of(
    customer: Customer,
    use: Use | Level | Told,
    link: Link,
    covered: list[Span],
    month: Month,
    *,
    if_priced: Callable[[Version], bool] | None = None,
) -> Cell | None:
    """Where a use falls: to the subscription that a rule says, else to that of its project, else to the one for all.

    What is promised falls to one whose card prices that, whatever rules say.
    """
    there = {
        span.subscription: (number, place)
        for number in range(len(link.versions))
        for place, span in enumerate(covered)
        if span.customer is customer
        and span.named == link.versions[number].named
        and (if_priced is None or if_priced(link.versions[number]))
        and span.start <= use.moment < span.end
        and held(link, number, month)[0] <= use.moment < held(link, number, month)[1]
    }
    for rule in customer.assigned if if_priced is None else ():
        open = day_start(rule.starts_on, link.zone) <= use.moment < day_start(rule.ends_on, link.zone)
        said = [each for each in there if each.name == rule.subscription]
        if open and said and rule.takes(use.project, use.resource):
            return there[said[0]]
    of = {each.project: cell for each, cell in there.items()}
    return of.get(use.project) or of.get("")


def rounded(value: Fraction, places: int) -> Fraction:
    """Half away from zero."""
    scaled = abs(value) * 10**places
    whole = int(scaled + Fraction(1, 2))
    return Fraction(whole if value >= 0 else -whole, 10**places)


def whole_month(link: Link, month: Month) -> int:
    return seconds(*(day_start(day, link.zone) for day in month))
