"""A seller's whole period: usage, samples and spells combined, priced, split into parts; fees and discounts."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal

import numpy as np
import polars as pl

from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import Over
from gradumen.core.catalogue.sampling import Sampling
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, allocate, divide_half_up, scaled, unscaled
from gradumen.core.periods import hour_number, hour_start, local_hours
from gradumen.core.rating.charges import ALL, Charge, Rated, Unpriced
from gradumen.core.rating.fees import fees, true_ups
from gradumen.core.rating.groups import NARROW, Array, Groups, joined, run_starts
from gradumen.core.rating.imported_costs import imported_costs, is_exchanged
from gradumen.core.rating.one_off_charges import one_off_charges
from gradumen.core.rating.parts import Part, Parts, PartTable, allocate_runs
from gradumen.core.rating.priced_steps import quantity_of
from gradumen.core.rating.rating import Pricing
from gradumen.core.rating.sampled import largest, sampled
from gradumen.core.rating.spells import kinds_of, started_time
from gradumen.core.rating.spreads import overheads, spreads
from gradumen.core.subscriptions.one_off_charges import OneOffCharge

_EPOCH = date(1970, 1, 1).toordinal()
_PART = ("line", "rate", "project", "resource", "day")
_NOTHING = pl.DataFrame(schema={"line": pl.Int32, "rate": pl.Int32, "project": pl.Int32, "quantity": pl.Int128})


def rate_period(
    usage: pl.DataFrame,
    pricing: Pricing,
    spells: pl.DataFrame | None = None,
    entered: Sequence[OneOffCharge] = (),
    costs: pl.DataFrame | None = None,
) -> Rated:
    """Combine, price and allocate what one seller's lines used in a period, fees and discounts included.

    The order of the rows makes no difference.

    Args:
        usage: see `gradumen.core.rating.rating.USAGE_SCHEMA`.
        spells: see `gradumen.core.rating.spells.SPELL_SCHEMA`; None is none.
        entered: what the seller charges by hand.
        costs: see `gradumen.core.rating.imported_costs.COST_SCHEMA`; None is none.
    """
    if not pricing.lines:
        return Rated((), ())
    rows = usage.filter(pl.col("hour").is_between(*_hours(pricing), closed="left"))
    special = [number for number, slug in pricing.meters.items() if not pricing.additive(slug)]
    plain = rows.filter(~pl.col("meter").is_in(special)) if special else rows
    fine = _fine(plain, pricing)
    fine, by_spell = _apart(fine, pricing)
    found = [_groups(fine.filter(pl.col("rate") >= 0), pricing)]
    samples = _fine(rows.filter(pl.col("meter").is_in(special)), pricing, hourly=True) if special else fine.clear()
    extra = [frame for frame in (_sampled(samples, pricing), _started(spells, pricing)) if frame is not None]
    shares = pl.concat([fine.select(*_PART, "quantity"), *(each.select(*_PART, "quantity") for each in extra)])
    found += [_groups(frame, pricing) for frame in extra if frame.height]
    priced = pricing.price(joined(found) if len(found) > 1 else found[0])
    missing = [*_unpriced(fine, pricing), *_unpriced(samples, pricing), *_without_spell(by_spell, spells, pricing)]
    sets = pl.concat([each.select("line", "rate", "attributes") for each in (fine, samples, by_spell)])
    charges = list(priced.charges(_Shares(shares, sets, pricing).split))
    charges += fees(pricing)
    imported, not_sold = ([], []) if costs is None else imported_costs(costs, pricing)
    charges += imported
    charges += spreads(pricing, rows)
    charges += discounts_of(charges, pricing)
    charges += true_ups(pricing, charges)
    charges += overheads(charges)
    charges += one_off_charges(entered, pricing)
    return Rated(tuple(charges), (*missing, *not_sold))


def _fine(rows: pl.DataFrame, pricing: Pricing, *, hourly: bool = False) -> pl.DataFrame:
    """Sums per line, rate, meter, attributes, project, resource and day; ``hourly`` keeps the rows as they are."""
    most, least = largest(rows["quantity"]), rows["quantity"].min()
    if isinstance(least, int) and least < 0:
        raise Invalid("a quantity of usage is never negative", field="quantity", value=least)
    if most * rows.height >= 2**126:
        raise Invalid("the usage of this period is too large to add up exactly", field="quantity", value=most)
    first, last = _hours(pricing)
    days = np.array(local_hours(first, last, pricing.zone).days, dtype=np.int32) - _EPOCH
    rated = rows.with_columns(
        pl.Series("rate", rates_of(rows, pricing)),
        pl.Series("day", days[rows["hour"].to_numpy() - first], dtype=pl.Int32),
    )
    if hourly:
        return rated
    keys = [*_PART, "meter", "attributes"]
    return rated.lazy().group_by(keys).agg(pl.col("quantity").cast(pl.Int128).sum()).collect(engine="streaming")


def rates_of(rows: pl.DataFrame, pricing: Pricing) -> Array:
    """The rate of each row; none prices usage that is a cost in another currency than its card's.

    Only costs of files are exchanged.
    """
    found = pricing.combiner.rates_of(rows)
    exchanged = np.array([is_exchanged(at) for at in pricing.combiner.rates], dtype=bool)
    if exchanged.any():
        found[(found >= 0) & exchanged[found]] = -1
    return found


def _hours(pricing: Pricing) -> tuple[int, int]:
    """The period's first hour, and the first after it."""
    return hour_number(pricing.start, pricing.zone), hour_number(pricing.end, pricing.zone)


def _sampled(samples: pl.DataFrame, pricing: Pricing) -> pl.DataFrame | None:
    """What counts of meters that do not add up."""
    found: list[pl.DataFrame] = []
    scopes = np.zeros(len(pricing.card_of_line), dtype=np.int64)
    for line in pricing.lines.values():
        scopes[line.number] = line.scope
    alike: dict[Sampling, list[int]] = defaultdict(list)
    for number, slug in pricing.meters.items():
        if slug in pricing.samplings:
            alike[pricing.samplings[slug]].append(number)
    for sampling, meters in alike.items():
        rows = samples.filter(pl.col("meter").is_in(meters) & (pl.col("rate") >= 0))
        if rows.height:
            found.append(sampled(rows.with_columns(pl.Series("scope", scopes[rows["line"].to_numpy()])), sampling))
    return pl.concat(found).group_by(_PART).agg(pl.col("quantity").sum()) if found else None


def _started(spells: pl.DataFrame | None, pricing: Pricing, *, by_day: bool = True) -> pl.DataFrame | None:
    """Time begun of what rates per started time price; not ``by_day``, the period's at once, all on its first day."""
    if spells is None or not spells.height:
        return None
    rates = pricing.combiner.started_table(spells.select("meter", "attributes").unique().rows(), pricing.zone)
    cards = pl.Series("card", pricing.card_of_line[spells["line"].to_numpy()], dtype=pl.Int32)
    what, prices = kinds_of(rates)
    intervals = spells.with_columns(cards).join(what, on=["card", "meter", "attributes"])
    first, last = _hours(pricing)
    days = [day - _EPOCH for day in local_hours(first, last, pricing.zone).days]
    starts = [hour for hour, (day, before) in enumerate(zip(days, [None, *days], strict=False)) if day != before]
    starts = starts if by_day else starts[:1]
    moments = [hour_start(hour, pricing.zone) for hour in (*(first + hour for hour in starts), last)]
    cuts = np.array([int(moment.timestamp()) for moment in moments], dtype=np.int64)
    found = started_time(intervals, prices, cuts)
    day_of_cut = np.array([days[hour] for hour in starts], dtype=np.int64)
    return found.with_columns(pl.Series("day", day_of_cut[found["cut"].to_numpy()])).select(
        *(pl.col(name).cast(pl.Int32) for name in _PART), "quantity"
    )


def sample_groups(rows: pl.DataFrame, pricing: Pricing) -> Groups:
    """What counts of meters that do not add up, as rows to price."""
    found = _sampled(_fine(rows, pricing, hourly=True), pricing)
    return _groups(_NOTHING if found is None else found, pricing)


def started_groups(spells: pl.DataFrame, pricing: Pricing) -> Groups:
    """Time begun, as rows to price."""
    found = _started(spells, pricing, by_day=False)
    return _groups(_NOTHING if found is None else found, pricing)


def _groups(frame: pl.DataFrame, pricing: Pricing) -> Groups:
    """Sums of parts, as rows to price."""
    # The last one is for cards without rates, of which no row is.
    apart = np.array([each.rate.over is Over.PROJECT for each in pricing.combiner.rates] + [False])
    keys = frame.select("line", "rate").with_columns(
        project=np.where(apart[frame["rate"].to_numpy()], frame["project"].to_numpy(), -1),
        quantity=frame["quantity"].cast(pl.Int128),
    )
    names = ["line", "project", "rate"]
    summed = keys.group_by(names).agg(pl.col("quantity").sum()).sort(names)
    quantity = summed["quantity"]
    narrow = largest(quantity) < NARROW
    values = quantity.cast(pl.Int64).to_numpy() if narrow else np.array(quantity.to_list(), dtype=object)
    return Groups(quantity=values, **{name: summed[name].cast(pl.Int64).to_numpy() for name in names})


def _apart(rows: pl.DataFrame, pricing: Pricing) -> tuple[pl.DataFrame, pl.DataFrame]:
    """What is priced by its quantity, or not at all; and what is priced by the spells that it is of."""
    started = [number for number, at in enumerate(pricing.combiner.rates) if at.rate.started is not None]
    if not started:
        return rows, rows.clear()
    by_spell = pl.col("rate").is_in(started)
    return rows.filter(~by_spell), rows.filter(by_spell)


def _without_spell(rows: pl.DataFrame, spells: pl.DataFrame | None, pricing: Pricing) -> Iterator[Unpriced]:
    """What a rate per started time prices, and is of no spell: there is none, so it is told."""
    keys = ["line", "meter", "attributes", "project", "resource"]
    if rows.height and spells is not None:
        rows = rows.join(spells.select(keys).unique(), on=keys, how="anti")
    return _listed(rows, pricing)


def _unpriced(rows: pl.DataFrame, pricing: Pricing) -> Iterator[Unpriced]:
    """What no rate prices, by resource."""
    return _listed(rows.filter(pl.col("rate") < 0), pricing)


def _listed(missing: pl.DataFrame, pricing: Pricing) -> Iterator[Unpriced]:
    if not missing.height:
        return
    keys = ["line", "meter", "attributes", "project", "resource"]
    summed = missing.group_by(keys).agg(pl.col("quantity").cast(pl.Int128).sum()).sort(keys)
    for line, meter, attributes, project, resource, quantity in summed.select(*keys, "quantity").iter_rows():
        yield Unpriced(line, pricing.meters[meter], attributes, project, resource, quantity_of(quantity))


class _Shares:
    """What each line and rate is for, as columns in the order of the parts."""

    def __init__(self, shares: pl.DataFrame, used: pl.DataFrame, pricing: Pricing) -> None:
        self._sets: dict[tuple[int, int], tuple[int, ...]] = {
            (line, rate): tuple(sorted(numbers))
            for line, rate, numbers in used.group_by("line", "rate").agg(pl.col("attributes").unique()).iter_rows()
        }
        summed = shares.filter(pl.col("rate") >= 0).group_by(_PART).agg(pl.col("quantity").sum()).sort(_PART)
        self._shares = summed.with_columns(pl.col("quantity").cast(pl.Int128))
        line, rate, project = (summed[name].to_numpy().astype(np.int64) for name in ("line", "rate", "project"))
        apart = np.array([each.rate.over is Over.PROJECT for each in pricing.combiner.rates] or [False])
        self._size = (len(apart), int(project.max(initial=0)) + 2)
        own = np.where(apart[rate], project, -1)
        self._first = run_starts(line, rate, own)
        self._keys = self._key(line, rate, own)[self._first]

    def _key(self, line: Array, rate: Array, project: Array) -> Array:
        """Numbers that tell runs apart, and are in their order."""
        rates, projects = self._size
        return (line * rates + rate) * projects + project + 1

    def split(
        self, line: Array, rate: Array, project: Array, amount: Array
    ) -> Iterator[tuple[Sequence[Part], tuple[int, ...]]]:
        """Charges' parts, by quantity; of a rate that counts per project those of the charge's own."""
        place = np.searchsorted(self._keys, self._key(line, rate, project))
        known = place < len(self._keys)
        known[known] = self._keys[place[known]] == self._key(line, rate, project)[known]
        totals = [0] * len(self._keys)
        for run, whole in zip(place[known].tolist(), amount[known].tolist(), strict=True):
            totals[run] = whole
        pico = allocate_runs(totals, self._shares["quantity"], self._first)
        days = pl.col("day").cast(pl.Date)
        # What quotas promise is of no resource, and need not be of a project.
        places = (pl.when(pl.col(name) != ALL).then(pl.col(name)).alias(name) for name in ("project", "resource"))
        table = PartTable(self._shares.select(*places, days, pl.col("quantity").alias("micro"), pico.alias("pico")))
        bounds = [*self._first.tolist(), self._shares.height]
        columns = (column.tolist() for column in (line, rate, place, known))
        for number, rate_at, run, has in zip(*columns, strict=True):
            parts = Parts(table, bounds[run], bounds[run + 1]) if has else ()
            yield parts, self._sets.get((number, rate_at), ())


TRIAL = Discount("trial", "Trial", percent=Decimal(100))
"""What a trial takes off."""


def discounts_of(charges: Sequence[Charge], pricing: Pricing) -> list[Charge]:
    """What discounts take off, per line and version, each from what the ones before it left.

    An amount is one per subscription and period: a later line or version gives what the earlier ones left of it.
    """
    found: list[Charge] = []
    given: dict[tuple[int, str, str], int] = {}
    of_line: dict[tuple[int, int], list[Charge]] = {}
    for charge in charges:
        if charge.version.discounts or pricing.lines[charge.line].trial:
            of_line.setdefault((charge.line, id(charge.version)), []).append(charge)
    for same in sorted(of_line.values(), key=lambda each: _since(each[0], pricing)):
        line = pricing.lines[same[0].line]
        left = {
            (index, place): part.pico for index, charge in enumerate(same) for place, part in enumerate(charge.parts)
        }
        for discount in (TRIAL,) if line.trial else same[0].version.discounts:
            key = (line.scope, line.card, discount.slug)
            taken = _take_off(discount, same, left, given.get(key, 0))
            if taken is None:
                continue
            found.append(taken)
            if discount.amount is not None:
                given[key] = given.get(key, 0) - scaled(taken.amount, AMOUNT_PLACES)
    return found


def _since(charge: Charge, pricing: Pricing) -> tuple[datetime, int, date]:
    """Where what is charged on a line by a version stands in time; that of a term's earlier months comes first."""
    line = pricing.lines[charge.line]
    return pricing.service_period(line, charge.version)[0], line.number, charge.version.starts_on


def _leave(left: dict[tuple[int, int], int], concerned: Sequence[tuple[int, int]], shares: Sequence[int]) -> None:
    """Let a discount leave the same share of each part, of what was credited as well: all of it off leaves nothing.

    Args:
        shares: what is off what was charged.

    >>> left = {(0, 0): 100, (1, 0): -90}
    >>> _leave(left, list(left), [9, 0])
    >>> left
    {(0, 0): 10, (1, 0): -9}
    """
    credited = [max(-left[key], 0) for key in concerned]
    if any(credited):
        charged, whole = [max(left[key], 0) for key in concerned], sum(shares)
        off = divide_half_up(whole * sum(charged), sum(charged) - sum(credited))
        less, more = allocate(off, charged), allocate(off - whole, credited)
        shares = [one - other for one, other in zip(less, more, strict=True)]
    for key, share in zip(concerned, shares, strict=True):
        left[key] -= share


def _take_off(
    discount: Discount, charges: Sequence[Charge], left: dict[tuple[int, int], int], given: int
) -> Charge | None:
    concerned = [
        (index, place)
        for index, charge in enumerate(charges)
        if discount.covers(charge.rate, charge.meter.partition("/")[0] if charge.meter else None)
        for place, part in enumerate(charge.parts)
        if discount.open_on(part.day)
    ]
    base = sum(left[key] for key in concerned)
    if base <= 0:
        # More was credited than charged: there is nothing to take off from.
        return None
    off = discount.off(base, given)
    whole = divide_half_up(off.numerator, off.denominator)
    if not whole:
        return None
    sums: dict[tuple[int | None, int | None, date], int] = {}
    shares = allocate(whole, [max(left[key], 0) for key in concerned])
    _leave(left, concerned, shares)
    for key, share in zip(concerned, shares, strict=True):
        part = charges[key[0]].parts[key[1]]
        place = (part.project, part.resource, part.day)
        sums[place] = sums.get(place, 0) + share
    touched = [charges[index] for index in sorted({index for index, _ in concerned})]
    return Charge(
        line=touched[0].line,
        kind="discount",
        rate=discount.slug,
        version=touched[0].version,
        meter=None,
        unit="",
        quantity=Decimal(0),
        covered=Decimal(0),
        before=unscaled(base, AMOUNT_PLACES),
        blocks=(),
        amount=unscaled(-whole, AMOUNT_PLACES),
        start=min(charge.start for charge in touched),
        end=max(charge.end for charge in touched),
        parts=tuple(Part(project, resource, day, 0, -share) for (project, resource, day), share in sums.items()),
    )
