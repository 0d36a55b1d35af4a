"""What quotas promise costs on a link, and how limits are given as the months pass."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from random import Random

from gradumen.client import Client
from tests.worlds.machines import pieces
from tests.worlds.spans import ZERO, Cell, Span, day_start, seconds
from tests.worlds.used import Month, Promise, Use
from tests.worlds.worlds import DAYS, FIRST, LAST, Customer, Family, Link, Version, months_on

MONTH_HOURS = 730


def plenty(depth: int) -> Decimal:
    """What a reseller so deep in the chain may have: what it keeps is charged to nobody, as it subscribes to nothing."""
    return Decimal(10 ** (9 - 2 * depth))


def promise_more(random: Random, customer: Customer) -> None:
    """Limits of a customer from some moments on, and of a project within it."""
    moments = sorted(
        datetime(FIRST.year, FIRST.month, FIRST.day, tzinfo=UTC)
        + timedelta(days=random.randint(-2, DAYS - 1), seconds=random.randrange(86_400))
        for _ in range(random.choice([0, 1, 2, 4]))
    )
    for number, moment in enumerate(moments):
        project = "" if number == 0 else random.choice(["", "barn"])
        limit = random.randint(0, 40) if project else random.randint(40, 400)
        customer.promises.append(Promise(moment, limit, project))


def give(sellers: dict[str, Client], customer: Customer, promise: Promise) -> None:
    """A limit by whom the customer buys from at that moment, which it is."""
    seller = sellers[customer.seller_at(promise.moment)]
    seller.quotas.grant(customer.slug, "storage", Decimal(promise.limit), project=promise.project or None)


def promised(
    family: Family, link: Link, covered: list[Span], month: Month
) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """Level by time at each version's price; a project's limit lies inside the customer's, and what pauses takes none."""
    found: dict[Cell, Fraction] = {}
    taking = [replace(span, end=span.start) if span.stretch.paused else span for span in covered]
    for customer in family.below(link):
        for start, end, project, level in levels(customer.promises, day_start(months_on(LAST, 1), link.zone)):
            holder = Use(start, 0, project)
            for begin, stop, cell in pieces(customer, holder, start, end, link, taking, month, if_priced=prices):
                months = Fraction(level * seconds(begin, stop), MONTH_HOURS * 3600)
                found[cell] = found.get(cell, ZERO) + months * (link.versions[cell[0]].promised or 0)
    yield "promised", found


def prices(version: Version) -> bool:
    return version.promised is not None


def levels(promises: Sequence[Promise], until: datetime) -> Iterator[tuple[datetime, datetime, str, int]]:
    """From when to when a customer has how much of its own, and its project."""
    if not promises:
        return
    whole, part = 0, 0
    for now, following in pairwise([*promises, replace(promises[-1], moment=until)]):
        whole, part = (whole, now.limit) if now.project else (now.limit, part)
        if now.moment < following.moment:
            yield now.moment, following.moment, "", whole - part
            yield now.moment, following.moment, "barn", part
