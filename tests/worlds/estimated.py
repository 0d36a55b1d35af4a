"""What a tier is said to cost before anybody has it, held against what plain fractions say of a use that is as expected."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from random import Random

from gradumen.client import Client
from gradumen.wire.rating.estimates import EstimateAsked, ExpectedUse
from tests.worlds.owed import owed
from tests.worlds.spans import day_start, rounded, seconds, whole_month
from tests.worlds.used import Use
from tests.worlds.worlds import DAYS, FIRST, GIB, MINOR, Customer, Family, Link, Stretch, Subscription, months_on

HOURS = [datetime(2024, 1, 1, tzinfo=UTC) + timedelta(hours=hour) for hour in range(7 * 24)]
"""Those of a week."""


def check_estimate(random: Random, client: Client, family: Family, customer: Customer, seed: int) -> None:
    """A tier of the plan for somebody, month by month, as who sells to it now would sell it."""
    [link] = [each for each in customer.all_links if (each.seller, each.buyer) == (customer.last_seller, customer.slug)]
    first, months = FIRST + timedelta(days=random.randrange(DAYS)), random.randint(1, 3)
    end, version = months_on(first, months), 1 if family.later is None else 2
    stretch = Stretch(first, random.choice(["heath", "moor"]), random.randint(1, 3), False, plan=version)
    quantity = random.randint(1, 10 ** random.randint(1, 3))
    expected = [ExpectedUse(meter="network/egress", quantity=str(quantity), unit="GiB")]
    terms = {"plan": family.plan, "tier": stretch.tier, "quantity": stretch.quantity, "months": months}
    asked = EstimateAsked(organisation=customer.slug, first_day=first, expected=expected, **terms)
    told = client.estimates.price(asked)
    buyer = Customer(customer.slug, [link], [Subscription("New", [stretch], end)])
    alone = replace(family, customers=[buyer], withdrawn=None, by_hand=[], terms=[], cards=[])
    for start, stop in parts(alone, link, first, end):
        used = list(in_a_week(link, alone.is_named(link, link.buyer, "New", start), start, stop, quantity))
        if not used:
            # A window of which none or all lies in so few days.
            return
        buyer.usage += used
    for month in told.months:
        begin = date.fromisoformat(f"{month.period}-01")
        found = owed(alone, link, (begin, months_on(begin, 1)))
        slack = Fraction(len(month.lines) + len(found), 2 * 10 ** MINOR[link.currency])
        wrong = Fraction(month.total) - sum(found.values())
        assert sum((each.amount for each in month.lines), Decimal(0)) == month.total, f"seed {seed}"
        assert abs(wrong) <= slack, f"seed {seed}: {float(wrong)} of {asked}, {month}: {found} {link}"


def parts(family: Family, link: Link, first: date, end: date) -> Iterator[tuple[date, date]]:
    """The days from one until before another in which one version holds in one month."""
    months = {months_on(first.replace(day=1), number) for number in range(4)}
    turns = {*months, *(each.day for each in link.versions), months_on(first, family.months)}
    yield from pairwise(sorted({first, end, *(each for each in turns if first < each < end)}))


def in_a_week(link: Link, named: bool, start: date, stop: date, quantity: int) -> Iterator[Use]:
    """What is used in some days, as if hours of a week were all there are; nothing where it cannot be put there."""
    window = link.versions[link.number_on(start, named=named)].window
    month = start.replace(day=1)
    since, until = day_start(start, link.zone), day_start(stop, link.zone)
    whole = Fraction(quantity * GIB * seconds(since, until), whole_month(link, (month, months_on(month, 1))))
    inside = Fraction(sum(window.holds(each) for each in HOURS), len(HOURS)) if window else Fraction(0)
    hours = [since + timedelta(hours=number) for number in range(seconds(since, until) // 3600)]
    found = []
    for holds, share in ((True, inside), (False, 1 - inside)):
        there = [each for each in hours if (window is not None and window.holds(each.astimezone(link.zone))) is holds]
        if share and not there:
            return
        found += [Use(there[0], rounded(whole * share, 6), "all")] if share else []
    yield from found
