"""Rating in two moves: combine usage into few exact sums, then price those sums and keep the arithmetic.

`docs/rating.md` says what each rate kind does, with worked examples.
"""

import hashlib
from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal, localcontext
from fractions import Fraction
from itertools import groupby
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, EXACT, QUANTITY_PLACES, allocate, scaled, unscaled
from gradumen.core.periods import Period, day_start, hour_number, hour_start
from gradumen.core.rates import PricedBlock, RateCardVersion, UsageRate, price_scaled, rounded_amount

USAGE_SCHEMA = {
    "line": pl.Int32,
    "meter": pl.Int32,
    "attributes": pl.Int32,
    "project": pl.Int32,
    "resource": pl.Int32,
    "hour": pl.Int32,
    "quantity": pl.Int128,
}
"""Usage as rating takes it: ``hour`` counts UTC hours from 1970, ``quantity`` millionths of the base unit."""

PART_KEYS = ("project", "resource", "day")


@dataclass(frozen=True, slots=True)
class RatedLine:
    """A supply line as rating needs it: what is subscribed, from when to when, at which prices.

    ``allowances`` are per meter, in base units; ``versions`` of its rate card in the order of their days.
    """

    number: int
    plan: str
    tier: str
    start: datetime
    end: datetime | None
    versions: tuple[RateCardVersion, ...]
    allowances: Mapping[str, Decimal]
    quantity: int = 1


@dataclass(frozen=True, slots=True)
class Part:
    """A charge's share of one project, resource and local day. Fees have no resource."""

    project: int | None
    resource: int | None
    day: date
    quantity: Decimal
    amount: Decimal


@dataclass(frozen=True, slots=True)
class Charge:
    """A priced quantity of one supply line and rate version, with its arithmetic.

    Quantities are in base units (seconds for fees), amounts in the card's currency with 12 places.
    """

    line: int
    kind: str
    rate: str
    version: RateCardVersion
    meter: str | None
    unit: str
    quantity: Decimal
    covered: Decimal
    before: Decimal
    blocks: tuple[PricedBlock, ...]
    amount: Decimal
    start: datetime
    end: datetime
    attributes: tuple[int, ...] = ()
    parts: tuple[Part, ...] = ()

    @property
    def evidence(self) -> str:
        """SHA-256 of the set of parts and attributes that the charge was made from."""
        rows = sorted(f"{part.project}|{part.resource}|{part.day}|{part.quantity:f}" for part in self.parts)
        return hashlib.sha256("\n".join([*map(str, self.attributes), *rows]).encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Unpriced:
    """Usage of a supply line that no rate of its card prices."""

    line: int
    meter: str
    attributes: int
    quantity: Decimal


@dataclass(frozen=True, slots=True)
class Rated:
    """What rating gives: charges, and what nothing prices."""

    charges: tuple[Charge, ...]
    unpriced: tuple[Unpriced, ...]


def combine(usage: pl.LazyFrame, boundaries: Sequence[int], keys: Sequence[str] = ()) -> pl.DataFrame:
    """Add usage up exactly per line, meter, attributes and price interval (and ``keys``).

    Args:
        usage: see `USAGE_SCHEMA`; a narrower whole-number type of ``quantity`` is as good.
        boundaries: hours at which some card changes version, ascending; the interval counts those passed.

    Raises:
        Invalid: so large that a sum might not fit 128 bits.
    """
    bound = usage.select(pl.col("quantity").abs().max().alias("most"), pl.len().alias("rows"))
    most, rows = bound.collect(engine="streaming").row(0)
    if most is not None and int(most) * int(rows) >= 2**126:
        raise Invalid("the usage of this period is too large to add up exactly", field="quantity", value=most)
    interval: pl.Expr = pl.lit(0, dtype=pl.Int32)
    for boundary in boundaries:
        interval = interval + (pl.col("hour") >= boundary).cast(pl.Int32)
    names = ["line", "meter", "attributes", "interval", *keys]
    return (
        usage.with_columns(interval.alias("interval"))
        .group_by(names)
        .agg(pl.col("quantity").cast(pl.Int128).sum())
        .collect(engine="streaming")
    )


def version_at(versions: Sequence[RateCardVersion], starts: Sequence[int], hour: int) -> RateCardVersion | None:
    """The version in force in an hour; ``starts`` are the versions' first hours."""
    index = bisect_right(starts, hour) - 1
    return versions[index] if index >= 0 else None


class Pricing:
    """Prices combined groups of one seller and period; keeps the small lookups of rates by attributes and hour."""

    def __init__(
        self,
        lines: Mapping[int, RatedLine],
        meters: Mapping[int, str],
        attribute_sets: Mapping[int, Mapping[str, str]],
        period: Period,
        zone: ZoneInfo,
    ) -> None:
        self.lines, self.meters, self.attribute_sets = lines, meters, attribute_sets
        self.zone, self.period = zone, period
        self.start, self.end = period.bounds(zone)
        first, last = hour_number(self.start), hour_number(self.end)
        starts = {day_start(v.starts_on, zone) for line in lines.values() for v in line.versions}
        self.boundaries = sorted(hour for hour in map(hour_number, starts) if first < hour < last)
        self._interval_hours = [first, *self.boundaries]
        self._rates: dict[tuple[str, int, int, int], UsageRate | None] = {}
        self._versions: dict[tuple[str, int], RateCardVersion | None] = {}
        self._positions: dict[tuple[str, int], dict[str, int]] = {}
        self._holds: dict[tuple[str, int], tuple[datetime, datetime]] = {}

    def version(self, line: RatedLine, interval: int) -> RateCardVersion | None:
        """The version of the line's card that holds in an interval."""
        card = line.versions[0].card if line.versions else ""
        key = (card, interval)
        if key not in self._versions:
            starts = [hour_number(day_start(v.starts_on, self.zone)) for v in line.versions]
            self._versions[key] = version_at(line.versions, starts, self._interval_hours[interval])
        return self._versions[key]

    def rate(self, version: RateCardVersion, meter: int, attributes: int) -> UsageRate | None:
        """The rate of a meter with these attributes in a version."""
        key = (version.card, version.number, meter, attributes)
        if key not in self._rates:
            self._rates[key] = version.usage_rate(self.meters[meter], self.attribute_sets[attributes])
        return self._rates[key]

    def price(self, groups: pl.DataFrame) -> Rated:
        """Price what `combine` gave, without parts."""
        charges: list[Charge] = []
        unpriced: list[Unpriced] = []
        rows = groups.sort("line", "meter", "interval", "attributes").select(
            "line", "meter", "interval", "attributes", "quantity"
        )
        with localcontext(EXACT):
            for (number, meter), same in groupby(rows.iter_rows(), key=lambda row: (row[0], row[1])):
                self._price_meter(self.lines[number], meter, same, charges, unpriced)
        return Rated(tuple(charges), tuple(unpriced))

    def _price_meter(
        self,
        line: RatedLine,
        meter: int,
        rows: Iterator[tuple[int, int, int, int, int]],
        charges: list[Charge],
        unpriced: list[Unpriced],
    ) -> None:
        """Price one meter of one line: versions in the order of time, rates in the order of the card."""
        slug = self.meters[meter]
        sums: dict[tuple[int, str], int] = {}
        sets: dict[tuple[int, str], list[int]] = {}
        found: dict[tuple[int, str], tuple[RateCardVersion, UsageRate]] = {}
        for _, _, interval, attributes, quantity in rows:
            version = self.version(line, interval)
            rate = self.rate(version, meter, attributes) if version else None
            if version is None or rate is None:
                unpriced.append(Unpriced(line.number, slug, attributes, unscaled(quantity, QUANTITY_PLACES)))
                continue
            key = (version.number, rate.slug)
            sums[key] = sums.get(key, 0) + quantity
            sets.setdefault(key, []).append(attributes)
            found[key] = version, rate
        allowance = scaled(line.allowances.get(slug, Decimal(0)), QUANTITY_PLACES)
        before: dict[str, int] = {}
        order = {key: (key[0], self._position(*found[key])) for key in found}
        for key in sorted(found, key=order.__getitem__):
            version, rate = found[key]
            quantity = sums[key]
            covered = min(allowance, quantity)
            allowance -= covered
            already = before.get(rate.slug, 0)
            blocks = price_scaled(rate, already, quantity - covered)
            before[rate.slug] = already + quantity - covered
            start, end = self._service_period(line, version)
            charges.append(
                Charge(
                    line=line.number,
                    kind=rate.kind,
                    rate=rate.slug,
                    version=version,
                    meter=slug,
                    unit=rate.unit.text,
                    quantity=unscaled(quantity, QUANTITY_PLACES),
                    covered=unscaled(covered, QUANTITY_PLACES),
                    before=unscaled(already, QUANTITY_PLACES),
                    blocks=blocks,
                    amount=rounded_amount(blocks),
                    start=start,
                    end=end,
                    attributes=tuple(sorted(set(sets[key]))),
                )
            )

    def _position(self, version: RateCardVersion, rate: UsageRate) -> int:
        """Where a rate stands in its version."""
        key = (version.card, version.number)
        if key not in self._positions:
            self._positions[key] = {each.slug: index for index, each in enumerate(version.rates)}
        return self._positions[key][rate.slug]

    def _service_period(self, line: RatedLine, version: RateCardVersion) -> tuple[datetime, datetime]:
        key = (version.card, version.number)
        if key not in self._holds:
            later = [v.starts_on for v in line.versions if v.starts_on > version.starts_on]
            until = min(self.end, day_start(min(later), self.zone)) if later else self.end
            self._holds[key] = max(self.start, day_start(version.starts_on, self.zone)), until
        start, end = self._holds[key]
        return max(start, line.start), end if line.end is None else min(end, line.end)

    def fees(self) -> tuple[Charge, ...]:
        """The recurring fees of all lines, prorated by seconds of the real period."""
        found: list[Charge] = []
        whole = int((self.end - self.start).total_seconds())
        for line in self.lines.values():
            for version in line.versions:
                fee = version.fee(line.plan, line.tier)
                start, end = self._service_period(line, version)
                if fee is None or end <= start:
                    continue
                seconds = int((end - start).total_seconds())
                block = PricedBlock(0, seconds * 10**QUANTITY_PLACES, fee.price, Fraction(whole, line.quantity))
                amount = rounded_amount([block])
                parts = self._fee_parts(start, end, amount)
                found.append(
                    Charge(
                        line.number,
                        "recurring",
                        fee.slug,
                        version,
                        None,
                        "month",
                        Decimal(seconds),
                        Decimal(0),
                        Decimal(0),
                        (block,),
                        amount,
                        start,
                        end,
                        (),
                        parts,
                    )
                )
        return tuple(found)

    def _fee_parts(self, start: datetime, end: datetime, amount: Decimal) -> tuple[Part, ...]:
        days: list[tuple[date, int]] = []
        moment = start
        while moment < end:
            day = moment.astimezone(self.zone).date()
            stop = min(end, day_start(date.fromordinal(day.toordinal() + 1), self.zone))
            days.append((day, int((stop - moment).total_seconds())))
            moment = stop
        shares = allocate(scaled(amount, AMOUNT_PLACES), [seconds for _, seconds in days])
        return tuple(
            Part(None, None, day, Decimal(seconds), unscaled(share, AMOUNT_PLACES))
            for (day, seconds), share in zip(days, shares, strict=True)
        )

    def day_of_hour(self) -> pl.DataFrame:
        """Small table from UTC hour to local day (days since 1970), daylight saving included."""
        hours = range(hour_number(self.start), hour_number(self.end))
        epoch = date(1970, 1, 1).toordinal()
        days = [hour_start(hour).astimezone(self.zone).date().toordinal() - epoch for hour in hours]
        return pl.DataFrame({"hour": list(hours), "day": days}, schema={"hour": pl.Int32, "day": pl.Int32})


def rate_period(usage: pl.DataFrame, pricing: Pricing) -> Rated:
    """Combine, price and allocate the usage of one seller and period, fees included.

    The order of the rows makes no difference.
    """
    dated = usage.lazy().join(pricing.day_of_hour().lazy(), on="hour", how="inner")
    fine = combine(dated, pricing.boundaries, PART_KEYS)
    groups = fine.group_by("line", "meter", "attributes", "interval").agg(pl.col("quantity").sum())
    rated = pricing.price(groups)
    parts = _parts_by_charge(fine, pricing)
    charges = [_with_parts(charge, parts[charge.line, charge.version.number, charge.rate]) for charge in rated.charges]
    return Rated((*charges, *pricing.fees()), rated.unpriced)


_PartSums = dict[tuple[int, int, int], int]


def _parts_by_charge(fine: pl.DataFrame, pricing: Pricing) -> dict[tuple[int, int, str], _PartSums]:
    found: dict[tuple[int, int, str], _PartSums] = {}
    rows = fine.select("line", "meter", "interval", "attributes", *PART_KEYS, "quantity")
    for number, meter, interval, attributes, project, resource, day, quantity in rows.iter_rows():
        version = pricing.version(pricing.lines[number], interval)
        rate = pricing.rate(version, meter, attributes) if version else None
        if version is not None and rate is not None:
            sums = found.setdefault((number, version.number, rate.slug), {})
            sums[project, resource, day] = sums.get((project, resource, day), 0) + quantity
    return found


def _with_parts(charge: Charge, sums: _PartSums) -> Charge:
    """Split a charge over its parts in proportion to quantity, in a stable order."""
    epoch = date(1970, 1, 1).toordinal()
    keys = sorted(sums)
    shares = allocate(scaled(charge.amount, AMOUNT_PLACES), [sums[key] for key in keys])
    parts = tuple(
        Part(
            project,
            resource,
            date.fromordinal(epoch + day),
            unscaled(sums[project, resource, day], QUANTITY_PLACES),
            unscaled(share, AMOUNT_PLACES),
        )
        for (project, resource, day), share in zip(keys, shares, strict=True)
    )
    return Charge(**{**{name: getattr(charge, name) for name in Charge.__slots__}, "parts": parts})
