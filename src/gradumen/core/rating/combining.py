"""Combine: exact sums of usage per supply line and rate, in one pass over the rows."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import Over, RateCardVersion, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.periods import day_start, hour_number, hour_start
from gradumen.core.rating.groups import LIMB, Array, Groups, fitted, merged

CHUNK = 1 << 16
THREADS = 2


@dataclass(frozen=True, slots=True)
class RateAt:
    """A rate of a version of a card; ``series`` is the same for the rate's namesakes in the card's versions."""

    version: RateCardVersion
    rate: UsageRate
    series: int
    order: int
    """Where its version stands among the card's, in time."""


class CompiledCard:
    """A card's versions compiled for the hours of one period: in which slot an hour lies, what holds in a slot.

    A slot is a version together with the set of time windows that are open.
    """

    def __init__(
        self, versions: Sequence[RateCardVersion], first_hour: int, week_hours: Sequence[int], zone: ZoneInfo
    ) -> None:
        self.versions = versions
        starts = [hour_number(day_start(version.starts_on, zone), zone) for version in versions]
        masks = [sorted({rate.when.mask for rate in v.usage_rates if rate.when is not None}) for v in versions]
        slots: dict[tuple[int, tuple[int, ...]], int] = {}
        self.samples: list[tuple[int, int]] = []
        """Per slot, the index of its version (-1 before the first) and an hour of the week in it."""
        self.slot_of_hour = np.zeros(len(week_hours), dtype=np.int64)
        version = -1
        for index, week_hour in enumerate(week_hours):
            while version + 1 < len(starts) and starts[version + 1] <= first_hour + index:
                version += 1
            opened = tuple([mask >> week_hour & 1 for mask in masks[version]]) if version >= 0 else ()
            slot = slots.setdefault((version, opened), len(slots))
            if slot == len(self.samples):
                self.samples.append((version, week_hour))
            self.slot_of_hour[index] = slot
        self._found: dict[tuple[str, tuple[str | None, ...]], tuple[UsageRate | None, ...]] = {}
        self._looked_at = {
            meter: tuple(sorted(frozenset().union(*(v.matcher.looked_at.get(meter, ()) for v in versions))))
            for meter in {rate.meter for v in versions for rate in v.usage_rates}
        }

    def rates(self, meter: str, attributes: Mapping[str, str]) -> tuple[UsageRate | None, ...]:
        """The rate that wins in each slot."""
        key = (meter, tuple(attributes.get(name) for name in self._looked_at.get(meter, ())))
        if key not in self._found:
            self._found[key] = tuple(
                self.versions[version].usage_rate(meter, attributes, week_hour) if version >= 0 else None
                for version, week_hour in self.samples
            )
        return self._found[key]


def week_hour_of(hour: int, zone: ZoneInfo) -> int:
    """The hour of the week, counted from Monday 00:00 in that zone, of an hour of its clocks."""
    local = hour_start(hour, zone).astimezone(zone)
    return local.weekday() * 24 + local.hour


class Combiner:
    """Sums usage of lines that buy by cards, in a period's hours."""

    def __init__(
        self,
        cards: Sequence[Sequence[RateCardVersion]],
        card_of_line: Array,
        meters: Mapping[int, str],
        attribute_sets: Mapping[int, Mapping[str, str]],
        first_hour: int,
        last_hour: int,
        zone: ZoneInfo,
        phases: Mapping[str, int],
    ) -> None:
        self.phases = phases
        self.first_hour, self.last_hour = first_hour, last_hour
        self.card_of_line, self.meters, self.attribute_sets = card_of_line, meters, attribute_sets
        self._cards, self._zone = cards, zone
        self.rates: list[RateAt] = []
        """Every usage rate of every version; groups name them by index, namesakes one after another in time."""
        self._index: list[dict[tuple[int, str], int]] = []
        series = 0
        for versions in cards:
            index: dict[tuple[int, str], int] = {}
            slugs = dict.fromkeys(rate.slug for version in versions for rate in version.usage_rates)
            for slug in slugs:
                for order, version in enumerate(versions):
                    for rate in version.usage_rates:
                        if rate.slug == slug:
                            index[order, slug] = len(self.rates)
                            self.rates.append(RateAt(version, rate, series, order))
                series += 1
            self._index.append(index)
        self._per_project = any(each.rate.over is Over.PROJECT for each in self.rates)

    @cached_property
    def cards(self) -> list[CompiledCard]:
        """The cards, compiled for the hours."""
        hours = [week_hour_of(hour, self._zone) for hour in range(self.first_hour, self.last_hour)]
        return [CompiledCard(versions, self.first_hour, hours, self._zone) for versions in self._cards]

    def combine(self, usage: pl.DataFrame) -> Groups:
        """Sum the quantities of all rows, exactly.

        Raises:
            Invalid: a quantity is negative, or there are more rows than can be added up.
        """
        if usage.height >= 2**31:
            raise Invalid("more than two billion rows are rated in parts", field="usage", value=usage.height)
        cells = self._cells(_Chunks(usage))
        found, sums = _sums(cells)
        groups = cells.groups(found, sums)
        return merged(groups) if self._per_project else groups

    def rates_of(self, usage: pl.DataFrame) -> Array:
        """The rate of each row, as an index of `rates`; -1 where nothing prices it."""
        cells = self._cells(_Chunks(usage))
        rates = cells.groups(np.arange(cells.size), np.zeros(cells.size, dtype=np.int64), apart=False).rate
        found = np.zeros(usage.height, dtype=np.int64)
        for rows, chunk in cells.chunks:
            found[rows] = rates.take(cells.cell_of(chunk))
        return found

    def _cells(self, chunks: "_Chunks") -> "_Cells":
        meters, sets = chunks.most("meter") + 1, chunks.most("attributes") + 1
        pairs, pair_of = _compact(chunks, meters * sets, lambda c: c["meter"] * np.int64(sets) + c["attributes"])
        units, unit_of = self._units(chunks)
        tables = [self._table(card, pairs, sets) for card in range(len(self.cards))]
        slots = max((len(card.samples) for card in self.cards), default=1)
        widths = np.array([len(table.meaning) for table in tables], dtype=np.int64)
        line_of_unit = units // chunks.projects if self._per_project else units
        card_of_unit = self.card_of_line[line_of_unit]
        return _Cells(
            chunks=chunks,
            first_hour=self.first_hour,
            span=self.last_hour - self.first_hour,
            sets=sets,
            slots=slots,
            block=len(pairs) * slots,
            pair_of=pair_of,
            unit_of=unit_of if self._per_project else None,
            units=units,
            line_of_unit=line_of_unit,
            card_of_unit=card_of_unit,
            hours=np.concatenate([card.slot_of_hour for card in self.cards]),
            cells=np.concatenate([_padded(table.cell, len(pairs), slots) for table in tables]),
            base=_offsets(widths[card_of_unit]),
            widths=widths,
            meaning=np.concatenate([np.array(table.meaning, dtype=np.int64).reshape(-1, 2) for table in tables]),
            per_project=np.array([each.rate.over is Over.PROJECT for each in self.rates], dtype=bool),
        )

    def _units(self, chunks: "_Chunks") -> tuple[Array, Array]:
        if not self._per_project:
            return np.arange(len(self.card_of_line)), np.zeros(0, dtype=np.int64)
        size = len(self.card_of_line) * chunks.projects
        return _compact(chunks, size, lambda c: c["line"] * np.int64(chunks.projects) + c["project"])

    def _table(self, card: int, pairs: Array, sets: int) -> "_CellTable":
        """Which cell of a line the usage of a pair of meter and attributes falls to in each slot."""
        compiled, index = self.cards[card], self._index[card]
        cell = np.zeros(len(pairs) * len(compiled.samples), dtype=np.int64)
        wanted: dict[tuple[int, int], list[int]] = {}
        position = 0
        for pair in pairs.tolist():
            meter, attributes = divmod(pair, sets)
            rates = compiled.rates(self.meters[meter], self.attribute_sets[attributes])
            for rate, (version, _) in zip(rates, compiled.samples, strict=True):
                key = (-1, pair) if rate is None else (index[version, rate.slug], -1)
                wanted.setdefault(key, []).append(position)
                position += 1
        meaning = sorted(wanted)
        for number, key in enumerate(meaning):
            cell[wanted[key]] = number
        return _CellTable(cell, meaning)

    def started_table(self, pairs: Sequence[tuple[int, int]], zone: ZoneInfo) -> pl.DataFrame:
        """The rates per started time of each card, meter, attributes and phase (as a number), and when they hold."""
        names = ("card", "meter", "attributes", "phase", "rate", "step", "since", "until")
        columns: dict[str, list[int]] = {name: [] for name in names}
        first, last = (int(hour_start(hour, zone).timestamp()) for hour in (self.first_hour, self.last_hour))
        for number, card in enumerate(self.cards):
            starts = [int(day_start(v.starts_on, zone).timestamp()) for v in card.versions]
            for version, (since, until) in enumerate(pairwise([*starts, last])):
                since, until = max(since, first), min(until, last)
                for meter, attributes in pairs:
                    rate = card.versions[version].usage_rate(self.meters[meter], self.attribute_sets[attributes])
                    if rate is None or rate.started is None or since >= until:
                        continue
                    index = self._index[number][version, rate.slug]
                    for phase in (self.phases[name] for name in rate.phases if name in self.phases):
                        values = (number, meter, attributes, phase, index, rate.started.seconds, since, until)
                        for name, value in zip(names, values, strict=True):
                            columns[name].append(value)
        wide = ("step", "since", "until")
        return pl.DataFrame(columns, schema={name: pl.Int64 if name in wide else pl.Int32 for name in names})


@dataclass(frozen=True, slots=True)
class _Cells:
    """Small tables by which a row finds its cell: one for each line (and project) and rate, or pair without rate."""

    chunks: "_Chunks"
    first_hour: int
    span: int
    sets: int
    slots: int
    block: int
    pair_of: Array
    unit_of: Array | None
    units: Array
    line_of_unit: Array
    card_of_unit: Array
    hours: Array
    cells: Array
    base: Array
    widths: Array
    meaning: Array
    per_project: Array

    @property
    def size(self) -> int:
        """How many cells there are."""
        return int(self.base[-1] + self.widths[self.card_of_unit[-1]]) if len(self.base) else 0

    def cell_of(self, c: Mapping[str, Array]) -> Array:
        """The cells of some rows; in place, because memory traffic is what this costs."""
        unit = c["line"].astype(np.int64)
        if self.unit_of is not None:
            unit = self.unit_of.take(unit * self.chunks.projects + c["project"])
        card = self.card_of_unit.take(unit)
        hour = card * self.span
        hour += c["hour"]
        hour -= self.first_hour
        pair = c["meter"].astype(np.int64)
        pair *= self.sets
        pair += c["attributes"]
        place = self.pair_of.take(pair)
        place *= self.slots
        place += self.hours.take(hour)
        card *= self.block
        place += card
        cell: Array = self.cells.take(place)
        cell += self.base.take(unit)
        return cell

    def groups(self, found: Array, sums: Array, *, apart: bool = True) -> Groups:
        """What cells stand for, with their sums; projects only where a rate counts per project."""
        unit: Array = np.searchsorted(self.base, found, side="right") - 1
        what = self.meaning[_offsets(self.widths)[self.card_of_unit[unit]] + found - self.base[unit]]
        rate = what[:, 0]
        priced = rate >= 0
        project = np.full(len(unit), -1, dtype=np.int64)
        if apart and self.unit_of is not None:
            project = np.where(self.per_project[rate] & priced, self.units[unit] % self.chunks.projects, -1)
        return Groups(
            line=self.line_of_unit[unit],
            project=project,
            rate=rate,
            quantity=sums,
            meter=np.where(priced, -1, what[:, 1] // self.sets),
            attributes=np.where(priced, -1, what[:, 1] % self.sets),
        )


def _padded(cell: Array, pairs: int, slots: int) -> Array:
    """A card's table with as many slots as the card with most has."""
    own = len(cell) // pairs if pairs else 0
    wide = np.zeros((pairs, slots), dtype=np.int64)
    wide[:, :own] = cell.reshape(pairs, own)
    return wide.ravel()


@dataclass(frozen=True, slots=True)
class _CellTable:
    cell: Array
    meaning: list[tuple[int, int]]
    """Per cell of a line: a rate and -1, or -1 and the pair that nothing prices."""


class _Chunks:
    """The rows in pieces that stay in the processor's cache."""

    def __init__(self, usage: pl.DataFrame) -> None:
        self.usage = usage.rechunk() if usage.n_chunks() > 1 else usage
        self.columns = {
            name: self.usage[name].to_numpy() for name in ("line", "meter", "attributes", "project", "hour")
        }
        self.projects = self.most("project") + 1

    def most(self, name: str) -> int:
        return int(self.columns[name].max()) if self.usage.height else 0

    def __iter__(self) -> Iterator[tuple[slice, dict[str, Array]]]:
        return self.every(1, 0)

    def every(self, step: int, offset: int) -> Iterator[tuple[slice, dict[str, Array]]]:
        """Each ``step``-th piece, from the ``offset``-th."""
        for start in range(offset * CHUNK, self.usage.height, step * CHUNK):
            rows = slice(start, start + CHUNK)
            yield rows, {name: column[rows] for name, column in self.columns.items()}


def _compact(chunks: _Chunks, size: int, code_of: Callable[[Mapping[str, Array]], Array]) -> tuple[Array, Array]:
    """The codes that occur, in order, and the way back from a code to its place among them."""
    seen = np.zeros(size, dtype=bool)
    for _, chunk in chunks:
        seen[code_of(chunk)] = True
    codes = np.flatnonzero(seen)
    place = np.full(size, -1, dtype=np.int64)
    place[codes] = np.arange(len(codes))
    return codes, place


def _sums(cells: _Cells) -> tuple[Array, Array]:
    """The cells that have rows, and the exact sum of each."""
    chunks, size = cells.chunks, cells.size
    quantity = chunks.usage["quantity"]
    figures = chunks.usage.lazy().select(
        pl.col("quantity").min().alias("least"),
        pl.col("quantity").max().alias("most"),
        pl.col("quantity").cast(pl.Int128).sum().alias("whole"),
    )
    least, most, whole = (int(each or 0) for each in figures.collect(engine="streaming").row(0))
    if least < 0:
        raise Invalid("a quantity of usage is never negative", field="quantity", value=least)
    wide = most * chunks.usage.height >= 2**126 or whole >= 2**63
    limbs = -(-most.bit_length() // LIMB) if wide else 1

    def add(pieces: Iterable[tuple[slice, Mapping[str, Array]]]) -> tuple[Array, list[Array]]:
        seen = np.zeros(size, dtype=bool)
        sums = [np.zeros(size, dtype=np.int64) for _ in range(limbs)]
        for rows, chunk in pieces:
            cell = cells.cell_of(chunk)
            seen[cell] = True
            for place, part in enumerate(_limbs(quantity[rows], limbs)):
                np.add.at(sums[place], cell, part)
        return seen, sums

    with ThreadPoolExecutor(THREADS) as threads:
        found = list(threads.map(add, (chunks.every(THREADS, offset) for offset in range(THREADS))))
    seen = np.logical_or.reduce([each for each, _ in found])
    sums = [np.add.reduce(same) for same in zip(*(each for _, each in found), strict=True)]
    places = np.flatnonzero(seen)
    if not wide:
        return places, sums[0][places]
    total = np.zeros(len(places), dtype=object)
    for place, limb in enumerate(sums):
        total = total + (limb[places].astype(object) << (LIMB * place))
    return places, fitted(total)


def _limbs(quantity: pl.Series, limbs: int) -> list[Array]:
    if limbs == 1 or quantity.dtype != pl.Int128:
        narrow = quantity.cast(pl.Int64).to_numpy()
        return [narrow >> LIMB * place & (1 << LIMB) - 1 for place in range(limbs)] if limbs > 1 else [narrow]
    part, size = pl.col("quantity"), pl.lit(1 << LIMB, dtype=pl.Int128)
    found = quantity.to_frame("quantity").select(
        (part // pl.lit(1 << LIMB * place, dtype=pl.Int128) % size).cast(pl.Int64).alias(str(place))
        for place in range(limbs)
    )
    return [found[name].to_numpy() for name in found.columns]


def _offsets(lengths: Sequence[int] | Array) -> Array:
    """Where each piece begins when pieces of these lengths stand one after another."""
    ends = np.cumsum(np.asarray(lengths, dtype=np.int64))
    return np.concatenate([np.zeros(1, dtype=np.int64), ends[:-1]]) if len(ends) else ends
