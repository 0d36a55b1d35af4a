"""What random customers owe, by plain fractions.

Nothing here uses the product's arithmetic: days, months, blocks, shares and rounding are worked out anew, slowly.
"""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from typing import Any

from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.spend.period_so_far import LinkPeriodBody
from tests.worlds.machines import machine_time
from tests.worlds.own_services import worked
from tests.worlds.priced import priced
from tests.worlds.promised import promised
from tests.worlds.resold import resold
from tests.worlds.sampled import sampled
from tests.worlds.spans import (
    ZERO,
    Cell,
    Place,
    Span,
    cell_of,
    day_start,
    held,
    rounded,
    seconds,
    spans,
    whole_month,
)  # fmt: skip
from tests.worlds.used import Month, Use
from tests.worlds.worlds import GIB, LAST, MINOR, MONTHS, QUARTER, Customer, Family, Link, Subscription, months_on

Key = tuple[str, str, str, int]
"""Whose, of which subscription, by which rate, of which version (from one)."""
Charged = dict[tuple[str, int, Place], Fraction]
"""By rate, number of the version (from zero) and stretch."""


def owed(family: Family, link: Link, month: Month = MONTHS[0]) -> dict[Key, Fraction]:
    """Exact amounts of a link's month by whom and what they are for."""
    covered = [span for customer in family.below(link) for span in spans(family, customer, link, month)]
    found = settled(link, covered, by_rates(family, link, covered, month), month)
    told: dict[Key, Fraction] = defaultdict(Fraction)
    for (rate, number, place), amount in found.items():
        name, at = of_card(link, rate, number)
        told[covered[place].customer.slug, covered[place].subscription.name, name, at] += amount
    for each in family.by_hand:
        if each.link is link and month[0] <= each.day < month[1]:
            named = family.is_named(link, each.customer, each.subscription, each.day)
            _, at = of_card(link, "", link.number_on(each.day, named=named))
            amount = Fraction(each.amount, 10 ** MINOR[link.currency])
            told[each.customer, each.subscription, "by-hand", at] += amount
    return {key: amount for key, amount in told.items() if amount}


def of_card(link: Link, rate: str, number: int) -> tuple[str, int]:
    """What a rate is called in its card, and which of the card's versions (from one) it is of."""
    named = link.versions[number].named
    return f"{rate}-named" if named and rate != "trial" else rate, link.numbers(named=named).index(number) + 1


def by_rates(family: Family, link: Link, covered: list[Span], month: Month) -> Charged:
    """What fees and use come to, before anything is taken off, and what is charged at least."""
    charged: Charged = defaultdict(Fraction)
    for place, span in enumerate(covered):
        for rate, number, amount in (*monthly_fees(link, span, month), *longer_fees(link, span, month)):
            charged[rate, number, place] += amount
    for used in (traffic, sampled, machine_time, resold, promised, worked):
        for rate, cells in used(family, link, covered, month):
            for (number, place), amount in cells.items():
                charged[rate, number, place] += amount
    return charged


def settled(link: Link, covered: list[Span], charged: Charged, month: Month) -> Charged:
    """What is left of charges after discounts, and what is charged at least."""
    found: Charged = defaultdict(Fraction, charged)
    for rate, (number, place), amount in taken_off(link, covered, charged, month):
        found[rate, number, place] -= amount
    for (number, place), amount in least(link, covered, found, month).items():
        found["least", number, place] += amount
    return found


def taken_off(link: Link, covered: list[Span], charged: Charged, month: Month) -> Iterator[tuple[str, Cell, Fraction]]:
    """What a trial takes off a stretch and version, else percentages, and then what is left of the amount."""
    sums: dict[Cell, Fraction] = defaultdict(Fraction)
    for (_, number, place), amount in charged.items():
        sums[number, place] += amount
    given: dict[tuple[object, ...], Fraction] = defaultdict(Fraction)
    for number, place in sorted(
        sums, key=lambda cell: (max(covered[cell[1]].start, held(link, cell[0], month)[0]), cell[1], cell[0])
    ):
        # Nothing is taken off what suppliers' credits bring below nothing.
        span, version = covered[place], link.versions[number]
        if span.stretch.trial:
            yield "trial", (number, place), max(ZERO, sums[number, place])
            continue
        part = rounded(max(ZERO, charged.get(("traffic", number, place), ZERO)) * version.part / 100, 12)
        left = max(ZERO, sums[number, place] - part)
        yield "part", (number, place), part
        off = rounded(left * version.off / 100, 12)
        less = max(ZERO, min(left - off, version.less - given[span.scope(""), span.named]))
        given[span.scope(""), span.named] += less
        yield "off", (number, place), off
        yield "less", (number, place), less


def monthly_fees(link: Link, span: Span, month: Month) -> Iterator[tuple[str, int, Fraction]]:
    stretch = span.stretch
    for number, version in enumerate(link.versions):
        length = span.holds(link, number, month)
        if length and not stretch.paused and not span.foreign:
            fee = version.fees[stretch.tier] * stretch.quantity
            yield stretch.tier, number, rounded(fee * length / whole_month(link, month), 12)


def longer_fees(link: Link, span: Span, month: Month) -> Iterator[tuple[str, int, Fraction]]:
    """What is charged once, by whom it began with, and of its first quarter what is charged in the month.

    In advance that is all of a stretch, in the month in which it begins; else in the one in which it ends.
    """
    stretch, first = span.stretch, span.subscription.stretches[0].day
    if stretch.paused or span.foreign:
        return
    begins = day_start(first, link.zone)
    if span.start == begins:
        number = link.number_on(first, named=span.named)
        yield f"once-{stretch.tier}", number, link.versions[number].once * stretch.quantity
    quarter, (since, until) = quarter_end(link, span.subscription), span.whole
    until = min(until, quarter)
    if (span.start != since) if link.advance else (until > day_start(month[1], link.zone)):
        return
    numbers = link.numbers(named=span.named)
    ends = [*(day_start(link.versions[number].day, link.zone) for number in numbers[1:]), quarter]
    for number, end in zip(numbers, ends, strict=True):
        version = link.versions[number]
        start, stop = max(since, day_start(version.day, link.zone)), min(until, end)
        share = rest_of_quarter(link, span.subscription, start, stop)
        yield f"quarter-{stretch.tier}", number, rounded(version.quarter * stretch.quantity * share, 12)


def quarter_end(link: Link, subscription: Subscription) -> datetime:
    return day_start(months_on(subscription.stretches[0].day, 3), link.zone)


def rest_of_quarter(link: Link, subscription: Subscription, start: datetime, stop: datetime) -> Fraction:
    """Which share of its first quarter lies between two moments."""
    begins = day_start(subscription.stretches[0].day, link.zone)
    return Fraction(seconds(start, stop), seconds(begins, quarter_end(link, subscription)))


def least(link: Link, covered: list[Span], charged: Charged, month: Month) -> dict[Cell, Fraction]:
    """What a month falls short of the least spend of a scope, in proportion to the seconds that raise it."""
    found: dict[Cell, Fraction] = {}
    for scope, named in {(span.scope(link.least_over), span.named) for span in covered}:
        places = [
            place for place, span in enumerate(covered) if (span.scope(link.least_over), span.named) == (scope, named)
        ]
        counts = {number for number in link.numbers(named=named) if link.versions[number].spend}
        raising = {
            (number, place): covered[place].holds(link, number, month)
            for number in sorted(counts)
            for place in places
            if covered[place].raises
        }
        of = [covered[at] for at in places]
        wanted = sum(
            link.versions[number].spend * covering(link, number, of, month) / whole_month(link, month)
            for number in counts
        )
        spent = sum((amount for (_, at, place), amount in charged.items() if at in counts and place in places), ZERO)
        missing, total = rounded(Fraction(wanted), 12) - spent, sum(raising.values())
        if missing > 0:
            found |= {cell: missing * length / total for cell, length in raising.items() if length}
    return found


def covering(link: Link, number: int, of: list[Span], month: Month) -> int:
    """How many seconds of a version some stretch covers that raises what is charged at least."""
    since, until = held(link, number, month)
    inside = sorted((max(span.start, since), min(span.end, until)) for span in of if span.raises)
    total, reached = 0, since
    for start, end in inside:
        total += seconds(max(start, reached), end)
        reached = max(reached, end)
    return total


def owed_in_advance(family: Family, link: Link) -> Fraction:
    """What the close of the month charges for the month after it: fees in advance, of what goes on.

    With the rest of a quarter, where a link begins then, or a first term is over after which another card sells it.
    """
    found = ZERO
    start, end = day_start(LAST, link.zone), day_start(months_on(LAST, 1), link.zone)
    for customer in family.below(link):
        [*_, (begins, ends)] = customer.bought(link)
        since, until = begins or start, ends or end
        for each in customer.subscriptions:
            last, quarter = each.stretches[-1], quarter_end(link, each)
            if not link.advance or each.ends_on or last.paused or family.is_foreign(link):
                continue
            for day, stop in by_cards(family, link, each):
                named = family.is_named(link, customer.slug, each.name, day)
                version, begun = link.versions[link.number_on(LAST, named=named)], max(day_start(day, link.zone), since)
                share = Fraction(seconds(begun, min(stop or end, until)), seconds(start, end))
                found += rounded(version.fees[last.tier] * last.quantity * share, MINOR[link.currency])
                if day > LAST or (begins and since >= start):
                    rest = rest_of_quarter(link, each, begun, min(stop or quarter, quarter, ends or quarter))
                    found += rounded(version.quarter * last.quantity * rest, MINOR[link.currency])
    return found


def by_cards(family: Family, link: Link, of: Subscription) -> list[tuple[date, datetime | None]]:
    """From which day of the month after, and until when, a subscription goes on without a change of its card."""
    renewal = months_on(of.stretches[0].day, family.months)
    if link.renews and LAST < renewal < months_on(LAST, 1):
        return [(LAST, day_start(renewal, link.zone)), (renewal, None)]
    return [(LAST, None)]


def traffic(
    family: Family, link: Link, covered: list[Span], month: Month
) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """What traffic costs, by rate and scope.

    A subscription's allowance of its tier covers card by card and version by version, there the rates in the card's order, as their
    names are.
    """
    used: dict[tuple[int, str, Place, str], Fraction] = defaultdict(Fraction)
    for customer in family.below(link):
        for use, (number, place) in by_itself(customer, link, covered, month):
            window = link.versions[number].window
            inside = window is not None and window.holds(use.moment.astimezone(link.zone))
            project = use.project if link.over == "project" else ""
            used[number, "window" if inside else "traffic", place, project] += use.quantity
    left = {scope: included(link, covered, scope, month) for scope in {each.scope("") for each in covered}}
    net: dict[tuple[str, tuple[str, ...], bool], dict[Cell, Fraction]] = {}
    if link.over != "project":
        net = {("traffic", span.scope(link.over), span.named): {} for span in covered}

    def order(entry: tuple[tuple[int, str, Place, str], Fraction]) -> tuple[object, ...]:
        span = covered[entry[0][2]]
        alike = [each.start for each in covered if (each.scope(""), each.named) == (span.scope(""), span.named)]
        return min(alike), entry[0]

    for (number, rate, place, project), quantity in sorted(used.items(), key=order):
        span = covered[place]
        taken = min(left[span.scope("")], quantity)
        left[span.scope("")] -= taken
        net.setdefault((rate, span.scope(link.over, project), span.named), {})[number, place] = quantity - taken
    for (rate, scope, named), cells in net.items():
        if rate == "window":
            yield rate, {(number, place): at_window(link, number, size) for (number, place), size in cells.items()}
        else:
            places = [at for at, each in enumerate(covered) if (each.scope(link.over), each.named) == (scope, named)]
            yield rate, priced(link, covered, places, cells, month)


def by_itself(customer: Customer, link: Link, covered: list[Span], month: Month) -> Iterator[tuple[Use, Cell]]:
    """What is charged of a composite and its machines: in each hour one or the other, as a card says that prices it.

    Where two subscriptions have a share of it in an hour, one card that charges it as the whole decides.
    """

    def hour(use: Use) -> datetime:
        return use.moment.astimezone(link.zone).replace(minute=0, tzinfo=None)

    pieces = (
        replace(use, moment=use.moment + number * QUARTER, quantity=Fraction(use.quantity, use.quarters))
        for use in (*customer.usage, *customer.shared)
        for number in range(use.quarters)
    )
    found = [(use, cell) for use in pieces if (cell := cell_of(customer, use, link, covered, month))]
    there = {(hour(use), use.resource) for use, _ in found if use.quantity}
    wholes = {
        hour(use)
        for use, (number, _) in found
        if use.quantity and use.resource == "app" and not link.versions[number].components
    }
    for use, cell in found:
        with_other = (use.resource == "machine" and hour(use) in wholes) or (
            use.resource == "app" and (hour(use), "machine") in there and hour(use) not in wholes
        )
        if not with_other:
            yield use, cell


def at_window(link: Link, number: int, size: Fraction) -> Fraction:
    window = link.versions[number].window
    assert window is not None
    return size * window.price / GIB


def included(link: Link, covered: list[Span], scope: tuple[str, ...], month: Month) -> Fraction:
    """The allowance of tiers or terms: by the seconds that each is held, cut to millionths."""
    millionths = sum(
        span.allowance * 10**6 * seconds(span.start, span.end) // whole_month(link, month)
        for span in covered
        if span.scope("") == scope and not span.stretch.paused
    )
    return Fraction(millionths, 10**6)


def differences(expected: dict[Key, Fraction], link: LinkPeriodBody | None, currency: str) -> list[tuple[Any, ...]]:
    """Subscriptions' rates and versions whose lines do not come to what is owed, each line rounded once."""
    found: dict[Key, list[Decimal]] = {}
    for line in link.lines if link else ():
        rate = "by-hand" if line.rate.startswith("one-off-") else line.rate
        key = (line.organisation, line.subscription, rate, line.rate_card_version)
        found.setdefault(key, []).append(line.amount)
    wrong = []
    for key in {*expected, *found}:
        amounts = found.get(key, [])
        slack = Fraction(len(amounts) or 1, 2 * 10 ** MINOR[currency])
        if abs(Fraction(sum(amounts, Decimal(0))) - expected.get(key, ZERO)) > slack:
            wrong.append((key, amounts, float(expected.get(key, 0))))
    return wrong


def billed(documents: list[InvoiceBody], seller: str, buyer: str) -> Fraction:
    """What documents of a seller come to for a buyer, net."""
    return Fraction(sum((each.net for each in documents if (each.seller, each.buyer) == (seller, buyer)), Decimal(0)))
