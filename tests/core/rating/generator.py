"""Built months: every kind of rate, over version changes, changes of tier, pauses, and awkward days."""

from dataclasses import replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from itertools import pairwise
from random import Random
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.catalogue.conditions import Condition, Contains, Equals, OneOf, Prefix, TimeWindow
from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import (
    Block,
    Blocks,
    Composites,
    Every,
    Lots,
    Markup,
    Over,
    Rate,
    RateCardVersion,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    Started,
    UsageRate,
)
from gradumen.core.catalogue.sampling import Across, Sampling, Statistic, Window
from gradumen.core.errors import Invalid
from gradumen.core.periods import Period, day_start, hour_number
from gradumen.core.rating.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.core.rating.spells import SPELL_SCHEMA
from gradumen.core.units import parse_unit
from tests.core.rating.reference import Case

PERIODS = [Period(2026, 10), Period(2026, 3), Period(2028, 2), Period(2026, 6)]
"""With the changes to and from summer time in Europe, and a leap day."""
ZONES = [
    ZoneInfo(name)
    for name in ("Europe/Dublin", "UTC", "Asia/Tokyo", "America/New_York", "Asia/Kolkata", "America/St_Johns")
]
METERS = {0: "compute/vcpu", 1: "disk/capacity", 2: "net/egress", 3: "cost/imported", 4: "net/peak", 5: "vm/time"}
UNITS = {0: "piece-hour", 1: "GiB-month730", 2: "GiB", 3: "EUR", 4: "GB", 5: "piece-hour"}
SETS = {
    0: {},
    1: {"size": "small"},
    2: {"size": "large", "site": "north"},
    3: {"size": "large", "site": "south", "image": "archive-2022"},
    4: {"image": "old-archive"},
}
PHASES = ("parked", "awake", "busy")
SETS |= {
    number + 10 * place: {**SETS[number], "phase": PHASES[place - 1]} for number in range(5) for place in (1, 2, 3)
}
"""Those of spells have a phase beside."""


def make_batch(seed: int, cases: int) -> Case:
    """A month of so many cases: unrelated sellers' cards with a few lines each, in one frame."""
    random = Random(seed)
    samplings = {}
    if random.random() < 0.8:
        sampling = Sampling(random.choice(list(Statistic)), random.choice(list(Window)), random.choice(list(Across)))
        if not sampling.additive:
            samplings["net/peak"] = sampling
    batch = Case(random.choice(PERIODS), random.choice(ZONES), METERS, SETS, samplings)
    for number in range(cases):
        _add_case(batch, number, random)
    return batch


def _add_case(batch: Case, number: int, random: Random) -> None:
    currency = random.choice(["EUR", "JPY", "KWD"])
    versions = [_version(f"card-{number}", 1, currency, date(2020, 1, 1), random)]
    if random.random() < 0.5:
        # Of a quarter that ends in the period, both versions may have held before it; one may hold after it only.
        day = batch.period.first_day + timedelta(days=random.choice([random.randint(1, 26), random.randint(-60, 70)]))
        versions.append(_version(f"card-{number}", 2, currency, day, random))
        if random.random() < 0.3:
            versions[1] = replace(versions[0], number=2, starts_on=day)
    lines = _lines(batch, number, tuple(versions), random)
    if random.random() < 0.3:
        other = [_version(f"card-{number}-other", 1, currency, date(2019, 1, 1), random)]
        other += [replace(versions[-1], card=other[0].card)] if len(versions) > 1 else []
        lines = [replace(each, versions=tuple(other)) if each.continues else each for each in lines]
        lines += _gone(lines, number, batch.period.bounds(batch.zone)[0])
    for line in lines:
        batch.lines[line.number] = line
    small = random.random() < 0.5
    for _ in range(random.randint(0, 14)):
        line = random.choice(lines)
        first, last = _hours(batch, line)
        if first < last:
            most = 10**13 if small else 10 ** random.randint(1, 27)
            place = (line.number, random.randint(0, 4), random.randint(0, 4), number * 2 + random.randint(0, 1))
            hour = random.randint(first, min(last - 1, first + random.choice([3, 800])))
            batch.rows.append((*place, random.randint(0, 2), hour, random.randint(0, most)))
    for _ in range(random.randint(0, 5)):
        line = random.choice(lines)
        start, end = (int(moment.timestamp()) for moment in batch.period.bounds(batch.zone))
        begin = random.randint(start - 9000, end - 1)
        stop = begin + random.choice([1, 59, 60, 61, 3600, random.randint(1, 900)])
        attributes, level = random.randint(10, 34), random.choice([10**6, 10**6, 3 * 10**6])
        place = (5, attributes - attributes % 10 + attributes % 5, number * 2 + random.randint(0, 1))
        resource = random.randint(0, 1)
        # A spell goes on where a line follows another: each takes what is begun while it is there.
        for each in (each for each in lines if each.subscription == line.subscription):
            batch.spells.append((each.number, *place, resource, begin, stop, level))


def _hours(batch: Case, line: RatedLine) -> tuple[int, int]:
    start, end = batch.period.bounds(batch.zone)
    return hour_number(max(start, line.start), batch.zone), hour_number(min(end, line.end or end), batch.zone)


def _lines(batch: Case, number: int, versions: tuple[RateCardVersion, ...], random: Random) -> list[RatedLine]:
    """Up to three subscriptions of one buyer; the first may change its tier or pause in mid-period."""
    base, lines = number * 10, []
    first_day = batch.period.first_day + timedelta(days=random.choice([-400, -92, -31, 0, 4, 9]))
    for subscription in range(random.randint(1, 3)):
        opens = day_start(first_day, batch.zone)
        closes = None
        if random.random() < 0.3:
            closes = day_start(batch.period.first_day + timedelta(days=random.randint(12, 27)), batch.zone)
        common = RatedLine(
            number=base + len(lines),
            plan="plan",
            tier=random.choice(["heath", "moor"]),
            start=opens,
            end=closes,
            versions=versions,
            allowances={METERS[0]: Decimal(random.randint(0, 10**7)), METERS[1]: Decimal(random.randint(0, 10**18))},
            quantity=random.randint(1, 3),
            subscription=base + subscription,
            buyer=base,
            tenant=base + subscription // 2,
            first_day=first_day,
        )
        if random.random() < 0.4:
            change = day_start(batch.period.first_day + timedelta(days=random.randint(10, 11)), batch.zone)
            lines.append(replace(common, end=change))
            lines[-1] = replace(lines[-1], trial=random.random() < 0.2)
            later = replace(common, number=base + len(lines), start=change, continues=True)
            lines.append(replace(later, paused=True) if random.random() < 0.3 else replace(later, tier="summit"))
            if random.random() < 0.3:
                lines[-1] = replace(lines[-1], subscription=base + 7, buyer=base + 8, tenant=base + 9)  # by a move
        else:
            lines.append(common)
    return lines


def _gone(lines: list[RatedLine], number: int, start: datetime) -> list[RatedLine]:
    """A line that is over before the period, on the card that its subscription goes over to in it, is none of it."""
    for first, second in pairwise(lines):
        if second.continues and first.subscription == second.subscription and first.start < start:
            return [replace(second, number=number * 10 + 6, start=first.start - timedelta(days=40), end=first.start)]
    return []


def _version(card: str, number: int, currency: str, starts_on: date, random: Random) -> RateCardVersion:
    rates: list[Rate] = []
    for meter in sorted(random.sample(range(5), random.randint(1, 3))):
        # What is measured of a cost is marked up in its own currency alone.
        rates += [
            replace(each, unit=parse_unit(currency)) if isinstance(each.pricing, Markup) else each
            for each in _rates(meter, random)
        ]
    if random.random() < 0.5:
        rates.append(
            UsageRate(
                "time",
                METERS[5],
                parse_unit(UNITS[5]),
                _blocks(random),
                match=(("phase", OneOf(("awake", "busy"))),),
                started=random.choice(list(Started)),
            )
        )
    for tier in ("heath", "moor", "summit"):
        if random.random() < 0.7:
            every = random.choice(list(Every))
            rates.append(RecurringRate(f"fee-{tier}", "plan", tier, _price(random), every, random.random() < 0.5))
    if random.random() < 0.3:
        services = ("compute", "disk") if random.random() < 0.5 else ()
        over = random.choice([Over.BUYER, Over.TENANT, Over.SUBSCRIPTION])
        rates.append(SpendCommitment("spend", Decimal(random.randint(1, 10**6)), services, over))
    if random.random() < 0.15:
        rates.append(SpreadRate("rent", Decimal(random.randint(0, 10**9)).scaleb(-3), METERS[random.randint(0, 4)]))
    overhead = Decimal(random.randint(1, 4000)).scaleb(-2) if random.random() < 0.15 else Decimal(0)
    discounts = [_discount(index, rates, random) for index in range(random.choice([0, 0, 1, 2]))]
    composites = Composites.WHOLE if number % 3 else Composites.COMPONENTS
    return RateCardVersion(card, number, currency, starts_on, tuple(rates), tuple(discounts), overhead, composites)


def _rates(meter: int, random: Random) -> list[UsageRate]:
    """The rate of a meter and up to two more special ones, as far as they do not tie."""
    found: list[UsageRate] = []
    for index in range(random.randint(1, 3)):
        match = tuple(sorted((key, _condition(key, random)) for key in ("image", "site", "size")[: index + 0 or index]))
        when = None
        if index and random.random() < 0.5:
            days = tuple(sorted(random.sample(range(7), random.randint(1, 7))))
            when = TimeWindow(days, random.randint(0, 23), random.randint(1, 24))
        made = UsageRate(
            slug=f"m{meter}-{index}",
            meter=METERS[meter],
            unit=parse_unit(UNITS[meter]),
            pricing=_markup(random) if meter == 3 else _pricing(random),
            match=match,
            when=when,
            over=random.choice(list(Over)),
        )
        made = _with_extras(made, random)
        try:
            RateCardVersion("c", 1, "EUR", date(2020, 1, 1), (*found, made))
        except Invalid:
            continue
        found.append(made)
    return found


def _with_extras(rate: UsageRate, random: Random) -> UsageRate:
    if random.random() < 0.25:
        rate = replace(rate, allowance=Decimal(random.randint(0, 3000)))
    if random.random() < 0.2 and rate.over is not Over.PROJECT:
        rate = replace(rate, committed=Decimal(random.randint(1, 3000)))
    if random.random() < 0.2:
        rate = replace(rate, minimum=Decimal(random.randint(1, 100)))
    if random.random() < 0.2:
        rate = replace(rate, cap=rate.minimum + Decimal(random.randint(1, 500)))
    return rate


def _condition(key: str, random: Random) -> Condition:
    values = {"size": ["small", "large"], "site": ["north", "south"], "image": ["win-2022", "old-archive"]}[key]
    kind = random.randint(0, 3)
    if kind == 0:
        return Equals(random.choice(values))
    if kind == 1:
        return OneOf(tuple(values))
    return Prefix(random.choice(values)[:3]) if kind == 2 else Contains(random.choice(["a", "archive"]))


def _pricing(random: Random) -> Blocks | Lots:
    if random.random() < 0.2:
        return Lots(Decimal(random.randint(1, 500)), _price(random))
    return _blocks(random)


def _blocks(random: Random) -> Blocks:
    ends = sorted(random.sample(range(1, 4000), random.choice([0, 0, 1, 3])))
    steps = [Block(Decimal(end), _price(random)) for end in ends]
    return Blocks((*steps, Block(None, _price(random))), whole=bool(ends) and random.random() < 0.5)


def _markup(random: Random) -> Markup:
    return Markup(Decimal(random.randint(0, 3000)).scaleb(-2), Decimal(random.choice([0, 0, 5])))


def _price(random: Random) -> Decimal:
    return Decimal(random.randint(0, 10 ** random.randint(1, 15))).scaleb(-12)


def _discount(index: int, rates: list[Rate], random: Random) -> Discount:
    percent = Decimal(random.randint(1, 10000)).scaleb(-2) if random.random() < 0.6 else None
    starts_on = date(2026, 3, random.randint(1, 28)) if random.random() < 0.3 else None
    return Discount(
        f"off-{index}",
        "Off",
        percent=percent,
        amount=None if percent else Decimal(random.randint(1, 1000)),
        rates=(random.choice(rates).slug,) if random.random() < 0.3 else (),
        services=("compute",) if random.random() < 0.3 else (),
        starts_on=starts_on,
        ends_on=starts_on + timedelta(days=random.randint(1, 300)) if starts_on else None,
    )


def usage_frame(case: Case) -> pl.DataFrame:
    """The rows as the product takes them."""
    columns = list(zip(*case.rows, strict=True)) if case.rows else [[] for _ in USAGE_SCHEMA]
    named = zip(USAGE_SCHEMA.items(), columns, strict=True)
    return pl.DataFrame({name: pl.Series(column, dtype=kind) for (name, kind), column in named})


def spell_frame(case: Case) -> pl.DataFrame:
    """The spells as the product takes them."""
    rows = [(*each[:7], *taken(case, each[0]), each[7]) for each in case.spells]
    columns = list(zip(*rows, strict=True)) if rows else [[] for _ in SPELL_SCHEMA]
    named = zip(SPELL_SCHEMA.items(), columns, strict=True)
    return pl.DataFrame({name: pl.Series(column, dtype=kind) for (name, kind), column in named})


def taken(case: Case, line: int) -> tuple[int, int]:
    """From when to when a line takes what is begun, in seconds from 1970."""
    start, end = case.period.bounds(case.zone)
    opens, closes = max(start, case.lines[line].start), min(end, case.lines[line].end or end)
    return int(opens.timestamp()), int(closes.timestamp())


def pricing_of(case: Case) -> Pricing:
    """The product's view of a case."""
    return Pricing(case.lines, case.meters, case.sets, case.period, case.zone, case.samplings)


def moment(case: Case, day: int) -> datetime:
    """The start of a day of the period."""
    return day_start(case.period.first_day + timedelta(days=day - 1), case.zone)
