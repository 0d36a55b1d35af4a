"""What random customers owe, by plain fractions.

Nothing here uses the product's arithmetic: days, months, blocks, shares and rounding are worked out anew, slowly.
"""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from fractions import Fraction
from math import ceil
from typing import Any
from zoneinfo import ZoneInfo

from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.spend.period_so_far import LinkPeriodBody
from tests.worlds.worlds import FIRST, GIB, LAST, MINOR, Customer, Link, Stretch, Use, Version


def day_start(day: date, zone: ZoneInfo) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)


def seconds(start: datetime, end: datetime) -> int:
    return max(0, int((end - start).total_seconds()))


@dataclass(frozen=True)
class Span:
    """A stretch and the part of the month that it covers in the seller's zone."""

    stretch: Stretch
    start: datetime
    end: datetime

    def within(self, since: datetime, until: datetime) -> int:
        """Its seconds between two moments."""
        return seconds(max(self.start, since), min(self.end, until))


def spans(customer: Customer, link: Link) -> Iterator[Span]:
    """What is held when; what begins or ends on the day of a move does so at its moment."""

    def moment(day: date) -> datetime:
        turn = link.since or link.until
        return turn if turn and day == customer.moves_on and day < LAST else day_start(day, link.zone)

    stop = min(LAST, customer.ends_on or LAST)
    days = [*(each.day for each in customer.stretches[1:]), stop]
    for stretch, until in zip(customer.stretches, days, strict=True):
        start, end = max(stretch.day, FIRST), min(until, stop)
        begins, ends = moment(start), moment(end)
        begins, ends = max(begins, link.since or begins), min(ends, link.until or ends)
        if begins < ends:
            yield Span(stretch, begins, ends)


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


def owed(customer: Customer, link: Link) -> dict[tuple[str, int], Fraction]:
    """Exact amounts of a link's month by rate and number of the version."""
    whole = seconds(day_start(FIRST, link.zone), day_start(LAST, link.zone))
    found: dict[tuple[str, int], Fraction] = defaultdict(Fraction)
    free: dict[int, Fraction] = defaultdict(Fraction)
    covered = list(spans(customer, link))
    for span in covered:
        stretch = span.stretch
        for number, version in enumerate(link.versions):
            length = span.within(*held(link, number))
            if length and not stretch.paused:
                amount = rounded(version.fees[stretch.tier] * stretch.quantity * length / whole, 12)
                found[stretch.tier, number + 1] += amount
                free[number] += amount if stretch.trial else 0
    for span in covered:
        for rate, number, amount in longer_fees(customer, link, span):
            found[rate, number + 1] += amount
            free[number] += amount if span.stretch.trial else 0
    for (rate, number), (amount, on_trial) in traffic(customer, link, covered, whole).items():
        found[rate, number + 1] += amount
        free[number] += on_trial
    for number, version in enumerate(link.versions):
        charged = sum((amount for (_, at), amount in found.items() if at == number + 1), Fraction(0))
        found["trial", number + 1] = -free[number]
        found["off", number + 1] = -(charged - free[number]) * version.off / 100
    for number, amount in least(link, covered, whole, found).items():
        found["least", number + 1] = amount
    return {key: amount for key, amount in found.items() if amount}


def longer_fees(customer: Customer, link: Link, span: Span) -> Iterator[tuple[str, int, Fraction]]:
    """What is charged once, by whom it began with, and of the quarter that began with it what falls into the month.

    In advance that is the whole, up to where the stretch ends; else only what has ended.
    """
    stretch, begins = span.stretch, day_start(FIRST, link.zone)
    if stretch.paused:
        return
    if span.start == begins and not link.since:
        yield f"once-{stretch.tier}", 0, link.versions[0].once * stretch.quantity
    month, quarter = day_start(LAST, link.zone), day_start(date(2026, 12, 1), link.zone)
    until = span.end if span.end < month else min(quarter, link.until or quarter)
    if until > month and not customer.advance:
        return
    days = [*(version.day for version in link.versions[1:]), date(2026, 12, 1)]
    for number, (version, end) in enumerate(zip(link.versions, days, strict=True)):
        start, stop = max(span.start, day_start(version.day, link.zone)), min(until, day_start(end, link.zone))
        share = Fraction(seconds(start, stop), seconds(begins, quarter))
        yield f"quarter-{stretch.tier}", number, rounded(version.quarter * stretch.quantity * share, 12)


def least(link: Link, covered: list[Span], whole: int, charged: dict[tuple[str, int], Fraction]) -> dict[int, Fraction]:
    """What a month falls short of the least spend, by version, in proportion to the seconds that raise it."""
    raising: dict[int, int] = {}
    for number, version in enumerate(link.versions):
        if version.spend:
            held_for = [s.within(*held(link, number)) for s in covered if not (s.stretch.paused or s.stretch.trial)]
            raising[number] = sum(held_for)
    wanted = sum((link.versions[number].spend * length / whole for number, length in raising.items()), Fraction(0))
    spent = sum((amount for (_, at), amount in charged.items() if at - 1 in raising), Fraction(0))
    missing, total = rounded(wanted, 12) - spent, sum(raising.values())
    return {number: missing * length / total for number, length in raising.items() if missing > 0 and length}


def owed_in_advance(customer: Customer, link: Link) -> Fraction:
    """What the close of the month charges for the month after it: fees in advance, of what goes on."""
    last, version = customer.stretches[-1], link.versions[-1]
    start, end = day_start(LAST, link.zone), day_start(date(2026, 11, 1), link.zone)
    share = Fraction(seconds(max(start, link.since or start), min(end, link.until or end)), seconds(start, end))
    if not customer.advance or customer.ends_on or last.paused:
        return Fraction(0)
    return rounded(version.fees[last.tier] * last.quantity * share, MINOR[link.currency])


Cell = tuple[int, int]
"""Number of the version, and of the stretch, in which something was used."""


Priced = dict[tuple[str, int], tuple[Fraction, Fraction]]
"""By rate and number of the version what it comes to, and how much of that is on trial."""


def traffic(customer: Customer, link: Link, covered: list[Span], whole: int) -> Priced:
    """What traffic costs; the tier's allowance covers version by version, there the rates in the card's order, as their names are."""
    used: dict[tuple[int, str, int, str], Fraction] = defaultdict(Fraction)
    for use, (number, place) in by_itself(customer, link, covered):
        window = link.versions[number].window
        inside = window is not None and window.holds(use.moment.astimezone(link.zone))
        scope = use.project if link.over == "project" else ""
        used[number, "window" if inside else "traffic", place, scope] += use.quantity
    left = included(customer, covered, whole)
    net: dict[tuple[str, str], dict[Cell, Fraction]] = {} if link.over == "project" else {("traffic", ""): {}}
    for (number, rate, place, scope), quantity in sorted(used.items()):
        taken = min(left, quantity)
        left -= taken
        net.setdefault((rate, scope), {})[number, place] = quantity - taken
    found: Priced = {}
    for (rate, _), cells in net.items():
        for number, (amount, on_trial) in (priced if rate == "traffic" else flat)(link, covered, cells).items():
            before = found.get((rate, number), (Fraction(0), Fraction(0)))
            found[rate, number] = before[0] + amount, before[1] + on_trial
    return found


def by_itself(customer: Customer, link: Link, covered: list[Span]) -> Iterator[tuple[Use, Cell]]:
    """What is charged of a composite and its machines: in each hour one or the other, as the card says."""

    def hour(use: Use) -> datetime:
        return use.moment.astimezone(link.zone).replace(minute=0, tzinfo=None)

    found = [(use, cell) for use in customer.usage for cell in cells_of(use, link, covered)]
    there = {(hour(use), use.resource) for use, _ in found}
    for use, (number, place) in found:
        left_out, for_which = ("app", "machine") if link.versions[number].components else ("machine", "app")
        if use.resource != left_out or (hour(use), for_which) not in there:
            yield use, (number, place)


def flat(link: Link, covered: list[Span], cells: dict[Cell, Fraction]) -> dict[int, tuple[Fraction, Fraction]]:
    """What a scope's use in the windows of versions costs."""
    found: dict[int, tuple[Fraction, Fraction]] = {}
    for number in {number for number, _ in cells}:
        window = link.versions[number].window
        assert window is not None
        amount = rounded(sum(q for (at, _), q in cells.items() if at == number) * window.price / GIB, 12)
        found[number] = amount, amount * on_trial(covered, cells, number)
    return found


def cells_of(use: Use, link: Link, covered: list[Span]) -> Iterator[Cell]:
    for number in range(len(link.versions)):
        since, until = held(link, number)
        for place, span in enumerate(covered):
            if since <= use.moment < until and span.start <= use.moment < span.end:
                yield number, place


def included(customer: Customer, covered: list[Span], whole: int) -> Fraction:
    """The tiers' allowance: by the seconds that each is held, cut to millionths."""
    millionths = sum(
        int(customer.allowances.get(span.stretch.tier, 0) * 10**6) * seconds(span.start, span.end) // whole
        for span in covered
        if not span.stretch.paused
    )
    return Fraction(millionths, 10**6)


def priced(link: Link, covered: list[Span], cells: dict[Cell, Fraction]) -> dict[int, tuple[Fraction, Fraction]]:
    """What a scope's use costs in each version, blocks counting on from one to the next; and the trial's share."""
    sizes = {number: sum(q for (at, _), q in cells.items() if at == number) for number, _ in sorted(cells)}
    gone = Fraction(0)
    for number, quantity in sizes.items():
        most = Fraction(link.versions[number].allowance * GIB)
        sizes[number] = quantity - (min(gone + quantity, most) - min(gone, most))
        gone += quantity
    last = last_held(link, covered)
    if last is not None and link.versions[last].committed:
        missing = link.versions[last].committed * GIB - sum(sizes.values())
        sizes[last] = sizes.get(last, Fraction(0)) + max(Fraction(0), missing)
    bounded = any(link.versions[n].minimum or link.versions[n].cap is not None for n in sizes)
    before, running, charged, total = Fraction(0), Fraction(0), Fraction(0), sum(sizes.values()) / GIB
    found: dict[int, tuple[Fraction, Fraction]] = {}
    for number, size in sorted(sizes.items()):
        version = link.versions[number]
        running += rounded(price(version, before, Fraction(size) / GIB, total), 12)
        before += Fraction(size) / GIB
        reached = running
        if bounded:
            reached = max(
                charged, min([max(running, version.minimum), *([] if version.cap is None else [version.cap])])
            )
        found[number] = reached - charged, (reached - charged) * on_trial(covered, cells, number)
        charged = reached
    return found


def on_trial(covered: list[Span], cells: dict[Cell, Fraction], number: int) -> Fraction:
    """Which share of a version's use is a trial's; of nothing at all, whether the first stretch is one."""
    inside = {place: quantity for (at, place), quantity in sorted(cells.items()) if at == number}
    total = sum(inside.values(), Fraction(0))
    if total:
        return sum((q for place, q in inside.items() if covered[place].stretch.trial), Fraction(0)) / total
    return Fraction(bool(inside) and covered[min(inside)].stretch.trial)


def last_held(link: Link, covered: list[Span]) -> int | None:
    """The last version that holds while something is subscribed to, neither paused nor on trial."""
    return max(
        (
            number
            for number in range(len(link.versions))
            for span in covered
            if not (span.stretch.paused or span.stretch.trial) and span.within(*held(link, number))
        ),
        default=None,
    )


def price(version: Version, before: Fraction, size: Fraction, total: Fraction) -> Fraction:
    """What a quantity costs that follows on another, in GiB."""
    if version.kind == "lot":
        lot = version.ends[0]
        return (ceil((before + size) / lot) - ceil(before / lot)) * version.prices[0]
    if version.kind == "whole":
        reached = next((n for n, end in enumerate(version.ends) if total <= end), len(version.prices) - 1)
        return size * version.prices[reached]
    found, low = Fraction(0), Fraction(0)
    for high, each in zip([*map(Fraction, version.ends), before + size], version.prices, strict=True):
        found += max(Fraction(0), min(before + size, high) - max(before, low)) * each
        low = max(low, high)
    return found


def differences(
    expected: dict[tuple[str, int], Fraction], link: LinkPeriodBody | None, currency: str
) -> list[tuple[Any, ...]]:
    """Rates and versions whose lines do not come to what is owed, each line rounded once to the minor unit."""
    found: dict[tuple[str, int], list[Decimal]] = {}
    for line in link.lines if link else ():
        found.setdefault((line.rate, line.rate_card_version), []).append(line.amount)
    wrong = []
    for key in {*expected, *found}:
        amounts = found.get(key, [])
        slack = Fraction(len(amounts) or 1, 2 * 10 ** MINOR[currency])
        if abs(Fraction(sum(amounts, Decimal(0))) - expected.get(key, Fraction(0))) > slack:
            wrong.append((key, amounts, float(expected.get(key, 0))))
    return wrong


def billed(documents: list[InvoiceBody], seller: str, buyer: str) -> Fraction:
    """What documents of a seller come to for a buyer, net."""
    return Fraction(sum((each.net for each in documents if (each.seller, each.buyer) == (seller, buyer)), Decimal(0)))
