"""Fees of tiers and commitments to spend: charges that do not come from usage."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from zoneinfo import ZoneInfo

from gradumen.core.catalogue.rates import (
    MICRO,
    Every,
    Over,
    RateCardVersion,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
)
from gradumen.core.exact import AMOUNT_PLACES, allocate, round_half_up, scaled, unscaled
from gradumen.core.periods import day_start, months_after
from gradumen.core.rating.charges import Charge, PricedBlock
from gradumen.core.rating.parts import Part
from gradumen.core.rating.rating import Pricing, RatedLine


def fees(pricing: Pricing) -> Iterator[Charge]:
    """The fees of all lines that belong to the period, prorated by the seconds that they cover."""
    alike: dict[tuple[object, ...], list[Charge]] = {}
    for line in pricing.lines.values():
        if line.paused:
            continue
        key = (line.card, line.plan, line.tier, line.start, line.end, line.quantity, line.first_day, line.continues)
        if key not in alike:
            alike[key] = [
                charge
                for version in line.versions
                for fee in version.fees(line.plan, line.tier)
                for charge in (_one_off if fee.every is Every.ONCE else _recurring)(pricing, line, version, fee)
            ]
        yield from (charge._replace(line=line.number) for charge in alike[key])


def _one_off(pricing: Pricing, line: RatedLine, version: RateCardVersion, fee: RecurringRate) -> Iterator[Charge]:
    """Charged where the subscription starts, not again where its tier or quantity changes."""
    start, end = pricing.service_period(line, version)
    if line.continues or not (pricing.start <= line.start < pricing.end and start == line.start and start < end):
        return
    block = PricedBlock(0, line.quantity * MICRO, fee.price, Fraction(1))
    day = start.astimezone(pricing.zone).date()
    amount = unscaled(scaled(fee.price, AMOUNT_PLACES) * line.quantity, AMOUNT_PLACES)
    until = day_start(date.fromordinal(day.toordinal() + 1), pricing.zone)
    yield _fee(line, fee, version, "piece", Decimal(line.quantity), block, amount, (start, until), pricing.zone)


def _recurring(pricing: Pricing, line: RatedLine, version: RateCardVersion, fee: RecurringRate) -> Iterator[Charge]:
    """The terms of a fee that are charged in the period, each version for the seconds that it prices."""
    for start, end in _terms(pricing, line, fee):
        covered_from = max(start, line.start)
        covered_to = end if line.end is None else min(end, line.end)
        if fee.every is not Every.MONTH:
            charged_at = covered_from if fee.advance else covered_to
            inside = (
                pricing.start <= charged_at < pricing.end if fee.advance else pricing.start < charged_at <= pricing.end
            )
            if not inside:
                continue
        begins = max(covered_from, day_start(version.starts_on, pricing.zone))
        later = [v.starts_on for v in line.versions if v.starts_on > version.starts_on]
        ends = min(covered_to, day_start(min(later), pricing.zone)) if later else covered_to
        seconds = int((ends - begins).total_seconds())
        if seconds <= 0:
            continue
        whole = int((end - start).total_seconds())
        block = PricedBlock(0, seconds * MICRO, fee.price, Fraction(whole, line.quantity))
        amount = round_half_up(block.amount, AMOUNT_PLACES)
        yield _fee(line, fee, version, fee.every, Decimal(seconds), block, amount, (begins, ends), pricing.zone)


def _terms(pricing: Pricing, line: RatedLine, fee: RecurringRate) -> Iterator[tuple[datetime, datetime]]:
    """The terms that touch the period: the billing month, or terms that count from the subscription's first day."""
    if fee.every is Every.MONTH:
        yield pricing.start, pricing.end
        return
    first = line.first_day or line.start.astimezone(pricing.zone).date()
    number = 0
    while True:
        start = day_start(months_after(first, number * fee.every.months), pricing.zone)
        end = day_start(months_after(first, (number + 1) * fee.every.months), pricing.zone)
        if start >= pricing.end:
            return
        if end >= pricing.start:
            yield start, end
        number += 1


def _fee(
    line: RatedLine,
    fee: RecurringRate,
    version: RateCardVersion,
    unit: str,
    quantity: Decimal,
    block: PricedBlock,
    amount: Decimal,
    service: tuple[datetime, datetime],
    zone: ZoneInfo,
) -> Charge:
    return Charge(
        line=line.number,
        kind=fee.kind,
        rate=fee.slug,
        version=version,
        meter=None,
        unit=unit,
        quantity=quantity,
        covered=Decimal(0),
        before=Decimal(0),
        blocks=(block,),
        amount=amount,
        start=service[0],
        end=service[1],
        advance=fee.advance,
        parts=day_parts(service[0], service[1], quantity, amount, zone),
    )


def day_parts(start: datetime, end: datetime, quantity: Decimal, amount: Decimal, zone: ZoneInfo) -> tuple[Part, ...]:
    """An amount over the days that it is for, by their seconds; a quantity of seconds goes with them.

    >>> from datetime import UTC, timedelta
    >>> noon, zone = datetime(2026, 10, 1, 12, tzinfo=UTC), ZoneInfo("UTC")
    >>> parts = day_parts(noon, noon + timedelta(days=1), Decimal(86_400), Decimal("1.01"), zone)
    >>> [(part.day.day, part.micro, part.pico) for part in parts]
    [(1, 43200000000, 505000000000), (2, 43200000000, 505000000000)]
    """
    days: list[tuple[date, int]] = []
    moment = start
    while moment < end:
        day = moment.astimezone(zone).date()
        stop = min(end, day_start(date.fromordinal(day.toordinal() + 1), zone))
        days.append((day, int((stop - moment).total_seconds())))
        moment = stop
    seconds = [length for _, length in days]
    amounts = allocate(scaled(amount, AMOUNT_PLACES), seconds)
    quantities = allocate(scaled(quantity, 6), seconds)
    return tuple(
        Part(None, None, day, share, money) for (day, _), share, money in zip(days, quantities, amounts, strict=True)
    )


def true_ups(pricing: Pricing, charges: Sequence[Charge]) -> Iterator[Charge]:
    """What is committed per month and not reached by the charges of the services it is for.

    A commitment is one series over the versions of its card: each version counts by the seconds that it and any line
    of the scope cover, and what is spent adds up over all of them, also on lines that pause. Days of a pause or a
    trial raise no commitment. The difference is charged on the scope's lines in proportion to those seconds.
    """
    for card, versions in pricing.cards.items():
        series: dict[tuple[str, Over], list[tuple[RateCardVersion, SpendCommitment]]] = {}
        for version in versions:
            for rate in version.rates:
                if isinstance(rate, SpendCommitment):
                    series.setdefault((rate.slug, rate.over), []).append((version, rate))
        for (_, over), namesakes in series.items():
            scopes: dict[int, list[RatedLine]] = {}
            for line in pricing.lines.values():
                if line.card == card:
                    scopes.setdefault(line.scope_over(over), []).append(line)
            for lines in scopes.values():
                yield from _true_up(pricing, namesakes, lines, charges)


def _true_up(
    pricing: Pricing,
    namesakes: Sequence[tuple[RateCardVersion, SpendCommitment]],
    lines: Sequence[RatedLine],
    charges: Sequence[Charge],
) -> Iterator[Charge]:
    whole = int((pricing.end - pricing.start).total_seconds())
    spans: list[tuple[RatedLine, RateCardVersion, SpendCommitment, datetime, datetime]] = []
    committed = Fraction(0)
    for version, rate in namesakes:
        held = [(line, *pricing.service_period(line, version)) for line in lines if not (line.paused or line.trial)]
        held = [(line, start, end) for line, start, end in held if start < end]
        committed += Fraction(rate.amount) * _union((start, end) for _, start, end in held) / whole
        spans += [(line, version, rate, start, end) for line, start, end in held]
    if not spans:
        return
    numbers = {line.number for line in lines}
    rates = {id(version): rate for version, rate in namesakes}
    reached = sum(
        scaled(charge.amount, AMOUNT_PLACES)
        for charge in charges
        if charge.line in numbers and id(charge.version) in rates and _counts(charge, rates[id(charge.version)])
    )
    missing = scaled(round_half_up(committed, AMOUNT_PLACES), AMOUNT_PLACES) - reached
    if missing <= 0:
        return
    seconds = [int((end - start).total_seconds()) for *_, start, end in spans]
    for (line, version, rate, start, end), length, share in zip(
        spans, seconds, allocate(missing, seconds), strict=True
    ):
        amount = unscaled(share, AMOUNT_PLACES)
        yield month_share(line, rate, version, (start, end), length, amount, pricing.zone)


def _counts(charge: Charge, rate: SpendCommitment) -> bool:
    """Whether a charge is for a service that the commitment is for."""
    return not rate.services or (charge.meter or "").partition("/")[0] in rate.services


def month_share(
    line: RatedLine,
    rate: SpendCommitment | SpreadRate,
    version: RateCardVersion,
    service: tuple[datetime, datetime],
    seconds: int,
    amount: Decimal,
    zone: ZoneInfo,
) -> Charge:
    """A line's share of an amount per month, over the days of its service."""
    return Charge(
        line=line.number,
        kind=rate.kind,
        rate=rate.slug,
        version=version,
        meter=None,
        unit="month",
        quantity=Decimal(seconds),
        covered=Decimal(0),
        before=Decimal(0),
        blocks=(),
        amount=amount,
        start=service[0],
        end=service[1],
        parts=day_parts(service[0], service[1], Decimal(seconds), amount, zone),
    )


def _union(spans: Iterable[tuple[datetime, datetime]]) -> int:
    """How many seconds lie in at least one of the spans."""
    total, reached = 0, None
    for start, end in sorted(spans):
        begin = start if reached is None else max(start, reached)
        total += max(0, int((end - begin).total_seconds()))
        reached = end if reached is None else max(reached, end)
    return total
