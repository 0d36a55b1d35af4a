"""Combine: which rate prices each row of usage, looked up in small tables in one pass over the rows."""

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import RateCardVersion, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.periods import day_start, hour_number, hour_start, local_hours
from gradumen.core.rating.groups import Array

CHUNK = 1 << 16
THREADS = 2
WEEK = 7 * 24


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
        hours = np.arange(first_hour, first_hour + len(week_hours))
        version_of_hour = np.searchsorted(np.array(starts, dtype=np.int64), hours, side="right") - 1
        # Hours of one version and hour of the week have one slot; without windows, all of the version.
        kinds = WEEK * version_of_hour + (np.array(week_hours) if any(masks) else 0)
        _, firsts, kind_of_hour = np.unique(kinds, return_index=True, return_inverse=True)
        slot_of_kind = np.zeros(len(firsts), dtype=np.int64)
        for kind in np.argsort(firsts).tolist():
            version, week_hour = int(version_of_hour[firsts[kind]]), week_hours[firsts[kind]]
            opened = tuple([mask >> week_hour & 1 for mask in masks[version]]) if version >= 0 else ()
            slot = slots.setdefault((version, opened), len(slots))
            if slot == len(self.samples):
                self.samples.append((version, week_hour))
            slot_of_kind[kind] = slot
        self.slot_of_hour = slot_of_kind[kind_of_hour]
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


class Combiner:
    """Finds the rates of lines that buy by cards, in a period's hours."""

    def __init__(
        self,
        cards: Sequence[Sequence[RateCardVersion]],
        card_of_line: Array,
        meters: Mapping[int, str],
        attribute_sets: Mapping[int, Mapping[str, str]],
        first_hour: int,
        last_hour: int,
        zone: ZoneInfo,
    ) -> None:
        self.first_hour, self.last_hour = first_hour, last_hour
        self.card_of_line, self.meters, self.attribute_sets = card_of_line, meters, attribute_sets
        self._cards, self._zone = cards, zone
        self.rates: list[RateAt] = []
        """Every usage rate of every version; rows name them by index, namesakes one after another in time."""
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

    @cached_property
    def cards(self) -> list[CompiledCard]:
        """The cards, compiled for the hours."""
        hours = local_hours(self.first_hour, self.last_hour, self._zone).week_hours
        return [CompiledCard(versions, self.first_hour, hours, self._zone) for versions in self._cards]

    def rates_of(self, usage: pl.DataFrame) -> Array:
        """The rate of each row, as an index of `rates`; -1 where nothing prices it.

        Raises:
            Invalid: there are more rows than can be looked up.
        """
        if usage.height >= 2**31:
            raise Invalid("more than two billion rows are rated in parts", field="usage", value=usage.height)
        if not usage.height:
            return np.zeros(0, dtype=np.int32)
        rows = usage.rechunk() if usage.n_chunks() > 1 else usage
        columns = {name: rows[name].to_numpy() for name in ("line", "meter", "attributes", "hour")}
        table = self._table(columns["meter"], columns["attributes"])
        found = np.empty(usage.height, dtype=np.int32)

        def look_up(start: int) -> None:
            chunk = slice(start, start + CHUNK)
            found[chunk] = table.look_up({name: column[chunk] for name, column in columns.items()})

        if usage.height <= CHUNK:
            # Threads take longer to start than these to be looked up.
            look_up(0)
        else:
            with ThreadPoolExecutor(THREADS) as threads:
                for _ in threads.map(look_up, range(0, usage.height, CHUNK)):
                    pass
        return found

    def _table(self, meter: Array, attributes: Array) -> "_RateTable":
        """The rate of each card, pair of meter and attributes, and slot."""
        sets = int(attributes.max()) + 1
        pairs, pair_of = _compact(meter, attributes, sets)
        slots = max(len(card.samples) for card in self.cards)
        rates = np.full((len(self.cards), len(pairs), slots), -1, dtype=np.int32)
        for number, card in enumerate(self.cards):
            for place, pair in enumerate(pairs.tolist()):
                which = self.meters[pair // sets], self.attribute_sets[pair % sets]
                for slot, (rate, (version, _)) in enumerate(zip(card.rates(*which), card.samples, strict=True)):
                    if rate is not None:
                        rates[number, place, slot] = self._index[number][version, rate.slug]
        return _RateTable(
            card_of_line=self.card_of_line,
            slot_of_hour=np.concatenate([card.slot_of_hour for card in self.cards]),
            first_hour=self.first_hour,
            hours=self.last_hour - self.first_hour,
            sets=sets,
            pair_of=pair_of,
            slots=slots,
            block=len(pairs) * slots,
            rates=rates.ravel(),
        )

    def started_table(self, pairs: Sequence[tuple[int, int]], zone: ZoneInfo) -> pl.DataFrame:
        """The rates per started time of each card, meter and attributes, and when they hold."""
        names = ("card", "meter", "attributes", "rate", "step", "since", "until")
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
                    values = (number, meter, attributes, index, rate.started.seconds, since, until)
                    for name, value in zip(names, values, strict=True):
                        columns[name].append(value)
        wide = ("step", "since", "until")
        return pl.DataFrame(columns, schema={name: pl.Int64 if name in wide else pl.Int32 for name in names})


@dataclass(frozen=True, slots=True)
class _RateTable:
    """Small tables by which a row finds its rate."""

    card_of_line: Array
    slot_of_hour: Array
    first_hour: int
    hours: int
    sets: int
    pair_of: Array
    slots: int
    block: int
    rates: Array

    def look_up(self, rows: Mapping[str, Array]) -> Array:
        """The rates of some rows; in place, because memory traffic is what this costs."""
        card = self.card_of_line.take(rows["line"])
        hour = card * self.hours
        hour += rows["hour"]
        hour -= self.first_hour
        pair = rows["meter"].astype(np.int64)
        pair *= self.sets
        pair += rows["attributes"]
        place: Array = self.pair_of.take(pair)
        place *= self.slots
        place += self.slot_of_hour.take(hour)
        card *= self.block
        place += card
        return self.rates.take(place)


def _compact(meter: Array, attributes: Array, sets: int) -> tuple[Array, Array]:
    """The pairs of meter and attributes that occur, as numbers in order, and the way from one to its place."""
    seen = np.zeros((int(meter.max()) + 1) * sets, dtype=bool)
    for start in range(0, len(meter), CHUNK):
        rows = slice(start, start + CHUNK)
        seen[meter[rows] * np.int64(sets) + attributes[rows]] = True
    pairs = np.flatnonzero(seen)
    place = np.full(len(seen), -1, dtype=np.int64)
    place[pairs] = np.arange(len(pairs))
    return pairs, place
