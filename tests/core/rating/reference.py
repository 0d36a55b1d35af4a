"""Rating done slowly and plainly, row by row in fractions: what the fast core is compared with.

Follows `docs/rating.md`, shares no arithmetic with the product but `allocate` and the rounding.
"""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from math import ceil
from zoneinfo import ZoneInfo

from gradumen.core.catalogue.conditions import TimeWindow, specificity
from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import (
    Blocks,
    Every,
    Lots,
    Markup,
    Over,
    RateCardVersion,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    UsageRate,
)
from gradumen.core.catalogue.sampling import Across, Sampling, Statistic, Window
from gradumen.core.exact import AMOUNT_PLACES, allocate, round_half_up, scaled
from gradumen.core.periods import Period, day_start, hour_start, months_after
from gradumen.core.rating.rating import RatedLine

Row = tuple[int, int, int, int, int, int, int]
"""Line, meter, attributes, project, resource, hour, millionths."""
Spell = tuple[int, int, int, int, int, int, int, int]
"""Line, meter, attributes, project, resource, start, end, level in millionths."""
PartKey = tuple[int | None, int | None, date]


@dataclass
class Case:
    """A month of some lines."""

    period: Period
    zone: ZoneInfo
    meters: dict[int, str]
    sets: dict[int, dict[str, str]]
    samplings: dict[str, Sampling]
    lines: dict[int, RatedLine] = field(default_factory=dict)
    rows: list[Row] = field(default_factory=list)
    spells: list[Spell] = field(default_factory=list)


@dataclass
class Charged:
    """A charge as the reference has it: 1e-12 of the currency, and its parts."""

    version: RateCardVersion
    rate: str
    service: str | None
    amount: int
    parts: dict[PartKey, int]


Span = tuple[datetime, datetime]
Rates = dict[tuple[int, str, int], tuple[RateCardVersion, UsageRate]]
Fine = dict[tuple[int, str, int], dict[PartKey, int]]
"""Quantities per line, rate and version, and there per part."""
Entry = tuple[int, RateCardVersion, UsageRate, PartKey, int]
Key = tuple[int, str, int, int]
"""Line, rate, version, project (-1 where the rate does not count per project)."""


def reference(case: Case) -> dict[Key, int]:
    """Amounts of all charges, in 1e-12 of the currency."""
    found = _usage(case)
    found.update(_fees(case))
    found.update(_spreads(case))
    found.update(_discounts(case, found))
    found.update(_true_ups(case, found))
    found.update(_overheads(found))
    return {key: charge.amount for key, charge in found.items()}


def _version_at(case: Case, line: RatedLine, moment: datetime) -> RateCardVersion | None:
    held = [v for v in line.versions if day_start(v.starts_on, case.zone) <= moment]
    return held[-1] if held else None


def _winner(case: Case, version: RateCardVersion, meter: str, attributes: int, moment: datetime) -> UsageRate | None:
    local = moment.astimezone(case.zone)
    fitting = [
        rate
        for rate in version.rates
        if isinstance(rate, UsageRate)
        and rate.meter == meter
        and rate.matches(meter, case.sets[attributes])
        and (rate.when is None or _is_open(rate.when, local))
    ]
    return max(fitting, key=specificity, default=None)


def _is_open(when: TimeWindow, local: datetime) -> bool:
    days, start, end = when.days, when.from_hour, when.to_hour
    if start < end:
        return local.weekday() in days and start <= local.hour < end
    yesterday = (local.weekday() - 1) % 7
    return (local.weekday() in days and local.hour >= start) or (yesterday in days and local.hour < end)


def _usage(case: Case) -> dict[Key, Charged]:
    fine: Fine = defaultdict(lambda: defaultdict(int))
    rates: Rates = {}

    def add(line: int, version: RateCardVersion, rate: UsageRate, part: PartKey, quantity: int) -> None:
        key = (line, rate.slug, version.number)
        rates[key] = version, rate
        fine[key][part] += quantity

    for line, version, rate, part, quantity in [*_additive(case), *_sampled(case), *_started(case)]:
        add(line, version, rate, part, quantity)
    for number, version, rate in _committing(case):
        key = (number, rate.slug, version.number)
        rates[key] = version, rate
        fine[key]
    rows = _rows(fine, rates)
    covered = _tier_allowances(case, rows, rates)
    return _priced(case, rows, rates, covered, fine)


def _additive(case: Case) -> Iterator[Entry]:
    for line, meter, attributes, project, resource, hour, quantity in case.rows:
        slug = case.meters[meter]
        if slug in case.samplings:
            continue
        moment = hour_start(hour, case.zone)
        version = _version_at(case, case.lines[line], moment)
        rate = version and _winner(case, version, slug, attributes, moment)
        if rate:
            yield line, version, rate, (project, resource, moment.astimezone(case.zone).date()), quantity


def _sampled(case: Case) -> Iterator[Entry]:
    for slug, sampling in case.samplings.items():
        hourly: dict[tuple[int, str, int, int, int, int], int] = defaultdict(int)
        found = {}
        for line, meter, attributes, project, resource, hour, quantity in case.rows:
            moment = hour_start(hour, case.zone)
            version = _version_at(case, case.lines[line], moment)
            rate = version and _winner(case, version, slug, attributes, moment)
            if case.meters[meter] == slug and rate:
                key = (line, rate.slug, version.number, project, resource, hour)
                hourly[key] += quantity
                found[key] = version, rate
        windows: dict[tuple[object, ...], dict[tuple[int, int], list[tuple[int, tuple[int, ...]]]]] = {}
        for key, quantity in hourly.items():
            line, _, _, project, resource, hour = key
            day = hour_start(hour, case.zone).astimezone(case.zone).date()
            window = {Window.HOUR: hour, Window.DAY: day, Window.PERIOD: None}[sampling.window]
            same = windows.setdefault((case.lines[line].scope, window), {})
            same.setdefault((project, resource), []).append((quantity, key))
        for same in windows.values():
            values = {who: _statistic(sampling, [q for q, _ in samples]) for who, samples in same.items()}
            highest = min(values, key=lambda who: (-values[who], who))
            for who, samples in same.items():
                if sampling.across is Across.MAX and who != highest:
                    continue
                if sampling.across is Across.DISTINCT:
                    samples = [min(samples, key=lambda each: (each[1][5], each[1][0], each[1][2], each[1][1]))]
                for quantity, key in samples:
                    day = hour_start(key[5], case.zone).astimezone(case.zone).date()
                    counts = int(values[who])
                    if sampling.across is Across.DISTINCT:
                        counts = 10**6
                    elif sampling.statistic in (Statistic.SUM, Statistic.MEAN):
                        counts = quantity
                    yield key[0], *found[key], (key[3], key[4], day), counts


def _statistic(sampling: Sampling, samples: list[int]) -> Fraction | int:
    if sampling.statistic is Statistic.SUM:
        return sum(samples)
    if sampling.statistic is Statistic.MAX:
        return max(samples)
    if sampling.statistic is Statistic.MEAN:
        return Fraction(sum(samples), len(samples))
    return sorted(samples)[ceil(Fraction(95, 100) * len(samples)) - 1]


def _started(case: Case) -> Iterator[Entry]:
    start, end = case.period.bounds(case.zone)
    for line in case.lines.values():
        for index, version in enumerate(line.versions):
            since = max(start, day_start(version.starts_on, case.zone))
            until = min([end, *(day_start(v.starts_on, case.zone) for v in line.versions[index + 1 :])])
            for rate in version.rates:
                if not isinstance(rate, UsageRate) or rate.started is None:
                    continue
                spells: dict[tuple[int, int, int], list[tuple[int, int]]] = defaultdict(list)
                for number, meter, attributes, project, resource, begin, stop, level in case.spells:
                    winner = _winner(case, version, case.meters[meter], attributes, since)
                    if number == line.number and winner is rate:
                        spells[project, resource, level].append((begin, stop))
                for (project, resource, level), spans in spells.items():
                    for begin, stop in _united(spans):
                        moment = begin
                        while moment < stop:
                            at = datetime.fromtimestamp(moment, UTC)
                            if since <= at < until and line.start <= at < (line.end or end):
                                part = (project, resource, at.astimezone(case.zone).date())
                                yield line.number, version, rate, part, rate.started.seconds * level
                            moment += rate.started.seconds


def _united(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    united: list[tuple[int, int]] = []
    for begin, stop in sorted(spans):
        if united and begin <= united[-1][1]:
            united[-1] = (united[-1][0], max(united[-1][1], stop))
        else:
            united.append((begin, stop))
    return united


def _span(case: Case, line: RatedLine, version: RateCardVersion) -> tuple[datetime, datetime]:
    start, end = case.period.bounds(case.zone)
    later = [day_start(v.starts_on, case.zone) for v in line.versions if v.starts_on > version.starts_on]
    return max(start, line.start, day_start(version.starts_on, case.zone)), min([end, line.end or end, *later])


def _committing(case: Case) -> Iterator[tuple[int, RateCardVersion, UsageRate]]:
    """Each line and rate by whose quantity its scope is charged at least: those of the version held last there.

    A subscription commits by the card alone that it has last.
    """
    last_cards = _last_cards(case)
    for line in case.lines.values():
        for version in line.versions:
            for rate in version.rates:
                if not isinstance(rate, UsageRate) or not rate.committed:
                    continue
                friends = [
                    other
                    for other in case.lines.values()
                    if other.card == line.card
                    and not (other.paused or other.trial)
                    and last_cards.get(other.scope) == other.card
                    and (other.meters is None or rate.meter in other.meters)
                    and _scope_of(other, rate.over, -1) == _scope_of(line, rate.over, -1)
                ]
                held = {
                    v.starts_on: [a for a in friends if _span(case, a, v)[0] < _span(case, a, v)[1]]
                    for v in line.versions
                }
                last = max((start for start, lines in held.items() if lines), default=None)
                if last == version.starts_on and line in held[last]:
                    yield line.number, version, rate


def _last_cards(case: Case) -> dict[int, str]:
    start, end = case.period.bounds(case.zone)
    held = [each for each in case.lines.values() if each.start < end and (each.end or end) > start]
    return {
        each.scope: each.card for each in sorted(held, key=lambda each: each.start) if not (each.paused or each.trial)
    }


def _scope_of(line: RatedLine, over: Over, project: int) -> int:
    of_project = project * 10**6 + line.buyer
    return {Over.SUBSCRIPTION: line.scope, Over.PROJECT: of_project, Over.BUYER: line.buyer, Over.TENANT: line.tenant}[
        over
    ]


def _rows(fine: Fine, rates: Rates) -> dict[Key, int]:
    rows: dict[Key, int] = defaultdict(int)
    for key, parts in fine.items():
        apart = rates[key][1].over is Over.PROJECT
        if not parts:
            rows[(*key, -1)] += 0
        for (project, _, _), quantity in parts.items():
            rows[(*key, project if apart else -1)] += quantity
    return rows


def _tier_allowances(case: Case, rows: dict[Key, int], rates: Rates) -> dict[Key, int]:
    start, end = case.period.bounds(case.zone)
    whole = (end - start) // timedelta(seconds=1)
    left: dict[tuple[int, str], int] = defaultdict(int)
    for line in case.lines.values():
        seconds = (min(end, line.end or end) - max(start, line.start)) // timedelta(seconds=1)
        for meter, quantity in line.allowances.items():
            if not line.paused and seconds > 0:
                left[line.scope, meter] += int(Fraction(quantity) * 10**6) * seconds // whole
    covered = {}
    began: dict[tuple[int, str], datetime] = {}
    for line in (each for each in case.lines.values() if (each.end or end) > start):
        began[line.scope, line.card] = min(line.start, began.get((line.scope, line.card), line.start))

    def order(key: Key) -> tuple[object, ...]:
        version, _ = rates[key[:3]]
        line = case.lines[key[0]]
        return (
            began[line.scope, line.card],
            version.starts_on,
            [r.slug for r in version.rates].index(key[1]),
            key[0],
            key[3],
        )

    for key in sorted(rows, key=order):
        allowed = (case.lines[key[0]].scope, rates[key[:3]][1].meter)
        covered[key] = min(left[allowed], rows[key])
        left[allowed] -= covered[key]
    return covered


def _priced(case: Case, rows: dict[Key, int], rates: Rates, covered: dict[Key, int], fine: Fine) -> dict[Key, Charged]:
    groups: dict[tuple[object, ...], dict[int, list[Key]]] = {}
    for key in rows:
        version, rate = rates[key[:3]]
        line = case.lines[key[0]]
        scope = _scope_of(line, rate.over, key[3])
        groups.setdefault((rate.over, scope, version.card, rate.slug), {}).setdefault(version.number, []).append(key)
    found: dict[Key, Charged] = {}
    committing = {(line, rate.slug, version.number) for line, version, rate in _committing(case)}
    for steps in groups.values():
        held = {number: rates[keys[0][:3]][0] for number, keys in steps.items()}
        versions = sorted(held.values(), key=lambda version: version.starts_on)
        amounts = _group_amounts(versions, steps, rates, rows, covered, committing)
        for version, (amount, size, missing) in zip(versions, amounts, strict=True):
            keys = sorted(steps[version.number], key=lambda key: (key[0], key[3]))
            used = {key: rows[key] - covered[key] for key in keys}
            of_used, of_missing = allocate(amount, [size, missing])
            shares = dict(zip(keys, allocate(of_used, list(used.values())), strict=True))
            if of_missing:
                # What is missing is on those that commit alone.
                commits = [key for key in keys if key[:3] in committing]
                for key, more in zip(commits, allocate(of_missing, [used[key] for key in commits]), strict=True):
                    shares[key] += more
            for key, share in shares.items():
                parts = {
                    part: quantity for part, quantity in sorted(fine[key[:3]].items()) if key[3] in (-1, part[0])
                } or {(None, None, _span(case, case.lines[key[0]], version)[0].astimezone(case.zone).date()): 0}
                split = dict(zip(parts, allocate(share, list(parts.values())), strict=True))
                meter = rates[key[:3]][1].meter
                found[key] = Charged(version, key[1], meter.partition("/")[0], share, split)
    return found


def _group_amounts(
    versions: list[RateCardVersion],
    steps: dict[int, list[Key]],
    rates: Rates,
    rows: dict[Key, int],
    covered: dict[Key, int],
    committing: set[tuple[int, str, int]],
) -> list[tuple[int, int, int]]:
    """Of each version the amount, what was used, and what is missing of what is committed."""
    of_version = [rates[steps[version.number][0][:3]][1] for version in versions]
    quantities = [sum(rows[key] - covered[key] for key in steps[version.number]) for version in versions]
    used, net = 0, []
    for rate, quantity in zip(of_version, quantities, strict=True):
        allowance = int(Fraction(rate.allowance) * rate.unit.factor * 10**6)
        net.append(quantity - (min(used + quantity, allowance) - min(used, allowance)))
        used += quantity
    commits = [any(key[:3] in committing for key in steps[version.number]) for version in versions]
    committed = max(
        (
            int(Fraction(rate.committed) * rate.unit.factor * 10**6)
            for rate, each in zip(of_version, commits, strict=True)
            if each
        ),
        default=0,
    )
    extra = max(0, committed - sum(net))
    amounts, before, running, charged = [], 0, 0, 0
    for place, (rate, size) in enumerate(zip(of_version, net, strict=True)):
        more = extra if commits[place] else 0
        exact = price(rate, before, size + more, sum(net) + extra)
        amount = scaled(round_half_up(exact, AMOUNT_PLACES), AMOUNT_PLACES)
        if place == 0 and isinstance(rate.pricing, Markup):
            amount += scaled(rate.pricing.fixed, AMOUNT_PLACES)
        before += size + more
        running += amount
        if any(each.cap is not None or each.minimum for each in of_version):
            if rate.cap is not None and running > scaled(rate.cap, AMOUNT_PLACES):
                running = max(charged, scaled(rate.cap, AMOUNT_PLACES))
            bounded = max(running, scaled(rate.minimum, AMOUNT_PLACES))
            amounts.append((max(0, bounded - charged), size, more))
            charged = max(charged, bounded)
        else:
            amounts.append((amount, size, more))
    return amounts


def price(rate: UsageRate, before: int, size: int, total: int) -> Fraction:
    """The exact price of a quantity that follows on another, all in millionths of base units."""
    units = [Fraction(each, 10**6) / rate.unit.factor for each in (before, before + size, total)]
    pricing = rate.pricing
    if isinstance(pricing, Lots):
        return (ceil(units[1] / Fraction(pricing.size)) - ceil(units[0] / Fraction(pricing.size))) * Fraction(
            pricing.price
        )
    if isinstance(pricing, Markup):
        return (units[1] - units[0]) * (1 + Fraction(pricing.percent) / 100)
    if pricing.whole:
        reached = next(step for step in pricing.steps if step.to is None or units[2] <= Fraction(step.to))
        return (units[1] - units[0]) * Fraction(reached.price)
    return _stepped(pricing, units[1]) - _stepped(pricing, units[0])


def _stepped(blocks: Blocks, quantity: Fraction) -> Fraction:
    total, low = Fraction(0), Fraction(0)
    for step in blocks.steps:
        high = quantity if step.to is None else min(quantity, Fraction(step.to))
        total += max(high - low, Fraction(0)) * Fraction(step.price)
        low = max(low, high)
    return total


def _fees(case: Case) -> dict[Key, Charged]:
    found: dict[Key, Charged] = {}
    start, end = case.period.bounds(case.zone)
    for line in case.lines.values():
        for version in line.versions:
            for fee in version.rates:
                if not isinstance(fee, RecurringRate) or (fee.plan, fee.tier) != (line.plan, line.tier) or line.paused:
                    continue
                key = (line.number, fee.slug, version.number, -1)
                first = line.first_day or line.start.astimezone(case.zone).date()
                if fee.every is Every.ONCE:
                    if (
                        start <= line.start < end
                        and day_start(first, case.zone) == line.start
                        and (_version_at(case, line, line.start) is version)
                    ):
                        amount = scaled(fee.price, AMOUNT_PLACES) * line.quantity
                        parts: dict[PartKey, int] = {(None, None, line.start.astimezone(case.zone).date()): amount}
                        found[key] = Charged(version, fee.slug, None, amount, parts)
                    continue
                for opening, closing in _terms(fee, first, start, end, case.zone):
                    covered_from, covered_to = max(opening, line.start), min(closing, line.end or closing)
                    charged_at = covered_from if fee.advance else covered_to - timedelta(seconds=1)
                    if fee.every is not Every.MONTH and not start <= charged_at < end:
                        continue
                    days = _days(case, line, version, covered_from, covered_to)
                    seconds = sum(days.values())
                    if seconds <= 0:
                        continue
                    whole = (closing - opening) // timedelta(seconds=1)
                    exact = Fraction(fee.price) * line.quantity * seconds / whole
                    amount = scaled(round_half_up(exact, AMOUNT_PLACES), AMOUNT_PLACES)
                    split = dict(
                        zip(((None, None, day) for day in days), allocate(amount, list(days.values())), strict=True)
                    )
                    found[key] = Charged(version, fee.slug, None, amount, split)
    return found


def _terms(fee: RecurringRate, first: date, start: datetime, end: datetime, zone: ZoneInfo) -> list[Span]:
    if fee.every is Every.MONTH:
        return [(start, end)]
    length = {Every.QUARTER: 3, Every.YEAR: 12}[fee.every]
    days = [months_after(first, length * number) for number in range(40)]
    moments = [day_start(day, zone) for day in days]
    return [(a, b) for a, b in pairwise(moments) if a < end and b >= start]


def _days(case: Case, line: RatedLine, version: RateCardVersion, start: datetime, end: datetime) -> dict[date, int]:
    """Seconds of each local day in which the version holds."""
    days: dict[date, int] = {}
    moment = start
    while moment < end:
        day = moment.astimezone(case.zone).date()
        following = min(end, day_start(day + timedelta(days=1), case.zone))
        if _version_at(case, line, moment) is version:
            days[day] = (following - moment) // timedelta(seconds=1)
        moment = following
    return days


def _discounts(case: Case, charges: dict[Key, Charged]) -> dict[Key, Charged]:
    found: dict[Key, Charged] = {}
    given: dict[tuple[int, str, str], int] = defaultdict(int)
    lines: dict[tuple[int, int], list[Charged]] = defaultdict(list)
    for key, charge in charges.items():
        lines[key[0], charge.version.number].append(charge)

    def since(key: tuple[int, int]) -> tuple[datetime, int, date]:
        version = lines[key][0].version
        return _span(case, case.lines[key[0]], version)[0], key[0], version.starts_on

    in_time = sorted(lines, key=since)
    for line, same in ((key[0], lines[key]) for key in in_time):
        version = same[0].version
        own = (case.lines[line].scope, version.card)
        left = [dict(charge.parts) for charge in same]
        free = [Discount("trial", "Trial", percent=Decimal(100))] if case.lines[line].trial else []
        for discount in free or version.discounts:
            touched = [
                (index, part)
                for index, charge in enumerate(same)
                if not (discount.rates or discount.services)
                or charge.rate in discount.rates
                or charge.service in discount.services
                for part in left[index]
                if (discount.starts_on or date.min) <= part[2] < (discount.ends_on or date.max)
            ]
            base = sum(left[index][part] for index, part in touched)
            if base <= 0:
                continue
            if discount.percent is not None:
                exact = Fraction(base) * Fraction(discount.percent) / 100
                off = scaled(round_half_up(exact / 10**12, AMOUNT_PLACES), AMOUNT_PLACES)
            else:
                off = min(base, scaled(discount.amount or Decimal(0), AMOUNT_PLACES) - given[*own, discount.slug])
                given[*own, discount.slug] += max(off, 0)
            if off <= 0:
                continue
            for (index, part), share in zip(
                touched, allocate(off, [left[index][part] for index, part in touched]), strict=True
            ):
                left[index][part] -= share
            found[line, discount.slug, version.number, -1] = Charged(version, discount.slug, None, -off, {})
    return found


def _spreads(case: Case) -> dict[Key, Charged]:
    """Hour by hour: what each line used of the key while the version held."""
    found: dict[Key, Charged] = {}
    start, end = case.period.bounds(case.zone)
    whole = (end - start) // timedelta(seconds=1)
    versions = {id(v): (v, line) for line in case.lines.values() for v in line.versions}
    for version, some in versions.values():
        if not any(isinstance(rate, SpreadRate) for rate in version.rates):
            continue
        alone = replace(some, start=start, end=end)
        held = [moment for moment in _hours_of(start, end) if _version_at(case, alone, moment) is version]
        for rate in version.rates:
            if not isinstance(rate, SpreadRate) or not held:
                continue
            lines = [
                line
                for line in case.lines.values()
                if any(v is version for v in line.versions)
                and _span(case, line, version)[0] < _span(case, line, version)[1]
            ]
            used = {line.number: 0 for line in lines}
            moments = set(held)
            for number, meter, _, _, _, hour, quantity in case.rows:
                if number in used and case.meters[meter] == rate.by and hour_start(hour, case.zone) in moments:
                    used[number] += quantity
            if not any(used.values()):
                for line in lines:
                    a, b = _span(case, line, version)
                    used[line.number] = 0 if line.paused else (b - a) // timedelta(seconds=1)
            if not any(used.values()):
                continue
            exact = Fraction(rate.amount) * len(held) * 3600 / whole
            amount = scaled(round_half_up(exact, AMOUNT_PLACES), AMOUNT_PLACES)
            for line, share in zip(lines, allocate(amount, list(used.values())), strict=True):
                if share:
                    days = _days(case, line, version, *_span(case, line, version))
                    split = zip(((None, None, day) for day in days), allocate(share, list(days.values())), strict=True)
                    key = (line.number, rate.slug, version.number, -1)
                    found[key] = Charged(version, rate.slug, None, share, dict(split))
    return found


def _hours_of(start: datetime, end: datetime) -> Iterator[datetime]:
    moment = start
    while moment < end:
        yield moment
        moment += timedelta(hours=1)


def _overheads(charges: dict[Key, Charged]) -> dict[Key, Charged]:
    sums: dict[tuple[int, int], list[Charged]] = defaultdict(list)
    for key, charge in charges.items():
        if charge.version.overhead:
            sums[key[0], charge.version.number].append(charge)
    found: dict[Key, Charged] = {}
    for (line, number), same in sums.items():
        exact = (
            Fraction(sum(charge.amount for charge in same), 10**AMOUNT_PLACES)
            * Fraction(same[0].version.overhead)
            / 100
        )
        amount = scaled(round_half_up(exact, AMOUNT_PLACES), AMOUNT_PLACES)
        if amount > 0:
            found[line, "overhead", number, -1] = Charged(same[0].version, "overhead", None, amount, {})
    return found


def _true_ups(case: Case, charges: dict[Key, Charged]) -> dict[Key, Charged]:
    found: dict[Key, Charged] = {}
    start, end = case.period.bounds(case.zone)
    whole = (end - start) // timedelta(seconds=1)
    names = {
        (line.card, rate.slug, rate.over)
        for line in case.lines.values()
        for version in line.versions
        for rate in version.rates
        if isinstance(rate, SpendCommitment)
    }
    for card, slug, over in sorted(names):
        scopes: dict[int, list[RatedLine]] = defaultdict(list)
        for line in case.lines.values():
            if line.card == card:
                scopes[{Over.BUYER: line.buyer, Over.TENANT: line.tenant}.get(over, line.scope)].append(line)
        for lines in scopes.values():
            committed, reached = Fraction(0), 0
            spans: list[tuple[RatedLine, RateCardVersion, int, int]] = []
            for version in lines[0].versions:
                rate = next((r for r in version.rates if r.slug == slug and getattr(r, "over", None) is over), None)
                if not isinstance(rate, SpendCommitment):
                    continue
                for line in lines:
                    reached += sum(
                        charge.amount
                        for key, charge in charges.items()
                        if key[0] == line.number
                        and charge.version is version
                        and (not rate.services or charge.service in rate.services)
                    )
                free = [line for line in lines if not line.paused and not line.trial]
                held = [(line, *(int(each.timestamp()) for each in _span(case, line, version))) for line in free]
                held = [each for each in held if each[1] < each[2]]
                seconds = sum(b - a for a, b in _united([(a, b) for _, a, b in held]))
                committed += Fraction(rate.amount) * seconds / whole
                spans += [(line, version, a, b) for line, a, b in held]
            missing = scaled(round_half_up(committed, AMOUNT_PLACES), AMOUNT_PLACES) - reached
            if spans and missing > 0:
                shares = allocate(missing, [b - a for _, _, a, b in spans])
                for (line, version, _, _), share in zip(spans, shares, strict=True):
                    found[line.number, slug, version.number, -1] = Charged(version, slug, None, share, {})
    return found
