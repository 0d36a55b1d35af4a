"""Charges kept current: pairs whose revision rose are rated again, and stored as what holds from then on."""

from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any
from uuid import UUID

import numpy as np
import polars as pl

from gradumen.core.errors import GradumenError
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.periods import Period, zone_of
from gradumen.core.rating.charges import ALL, Charge, Unpriced
from gradumen.core.rating.parts import Part, Parts, PartTable, evidence_of, evidence_rows
from gradumen.store import pairs
from gradumen.store.organisations.tables import OrganisationRow, load_tree
from gradumen.store.pairs import PairRow
from gradumen.store.rating import current_charges as store
from gradumen.store.rating.current_charges import Attempt
from gradumen.store.subscriptions.sales import sold_links
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.rating.composed_usage import Together
from gradumen.usecases.rating.costs import cost_cards, rate_costs
from gradumen.usecases.rating.links import RatedPeriod, load_links
from gradumen.usecases.rating.unassigned_usage import Unassigned
from gradumen.usecases.scope import business_now
from gradumen.usecases.tasks import problem_of

BATCH, PARTS = 2000, 50_000
"""Charges, and parts, stored in one transaction."""
FAILED = timedelta(minutes=1)
"""How long a pair rests that could not be rated."""
MOST = 40
"""Organisations rated at once, at most, where a pair is not of more: what is in memory at a time."""
PART_SCHEMA = {
    "pair_id": pl.Int32,
    "generation": pl.Int32,
    "charge_position": pl.Int32,
    "position": pl.Int32,
    "project_number": pl.Int32,
    "resource_id": pl.Int32,
    "day": pl.Date,
    "quantity": pl.Int128,
    "amount": pl.Int128,
}
"""Parts as they are stored; quantities in millionths of base units, amounts in 10**-12 of the currency."""


@dataclass(frozen=True, slots=True)
class Generations:
    """What pairs are charged: rows of charges, what is not priced or charged with others, and parts: there are many."""

    charges: list[dict[str, Any]] = field(default_factory=list)
    not_priced: list[dict[str, Any]] = field(default_factory=list)
    together: list[dict[str, Any]] = field(default_factory=list)
    parts: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=PART_SCHEMA))

    def batches(self) -> "Iterator[Generations]":
        """What fits one transaction, again and again."""
        for first in range(0, self.parts.height, PARTS):
            yield Generations(parts=self.parts[first : first + PARTS])
        for first in range(0, max(len(self.charges), len(self.not_priced), len(self.together)), BATCH):
            some = slice(first, first + BATCH)
            yield Generations(self.charges[some], self.not_priced[some], self.together[some])


def rate_pairs(
    uow: UnitOfWork, pairs: Sequence[int], *, now: Callable[[], datetime], rests: float, least: timedelta
) -> int:
    """Rate pairs of one seller and period on what there is now and let that hold; gives for how many it does.

    What changes meanwhile raises a pair's revision, so it stays stale and is rated again. Where another worker began
    later, that one's charges hold.

    Args:
        now: gives the real time.
        rests: how long they are not rated again by themselves, as a multiple of what this took; ``least`` at least.

    Raises:
        GradumenError: they cannot be rated; they keep why.
    """
    try:
        return _rate(uow, pairs, now, rests, least)
    except GradumenError:
        if len(pairs) == 1:
            raise
    # One that is refused is no reason to leave the others as they were.
    rated = 0
    failures: list[GradumenError] = []
    for pair in pairs:
        try:
            rated += _rate(uow, [pair], now, rests, least)
        except GradumenError as failure:
            failures.append(failure)
    if failures:
        raise failures[0]
    return rated


def _rate(uow: UnitOfWork, pairs: Sequence[int], now: Callable[[], datetime], rests: float, least: timedelta) -> int:
    """One attempt."""
    at = now()
    attempt = begin(uow, pairs=pairs, at=at)
    try:
        *before, last = [*rated_rows(uow, attempt=attempt).batches()] or [Generations()]
        # What does not fit one transaction is stored before the one in which all of it comes to hold.
        for rows in before:
            add(uow, rows=rows)
    except Exception as problem:
        fail(uow, attempt=attempt, problem=problem_of(problem), until=at + FAILED)
        raise
    ended = now()
    return hold(uow, attempt=attempt, rows=last, at=ended, rest=max(least, rests * (ended - at)))


@use_case
def begin(tx: Session, *, pairs: Sequence[int], at: datetime) -> Attempt:
    """Lease pairs for an attempt."""
    return store.begin_rating(tx, pairs, at)


@use_case
def add(tx: Session, *, rows: Generations) -> None:
    """Store a batch of what does not hold yet."""
    _add(tx, rows)


def _add(tx: Session, rows: Generations) -> None:
    store.add_charges(tx, rows.charges, rows.not_priced, rows.together)
    store.add_parts(tx, rows.parts)


@use_case
def hold(tx: Session, *, attempt: Attempt, rows: Generations, at: datetime, rest: timedelta) -> int:
    """Store what is left, and let all of it hold."""
    _add(tx, rows)
    return store.name_generations(tx, attempt, at, rest)


@use_case
def fail(tx: Session, *, attempt: Attempt, problem: str, until: datetime) -> None:
    """Keep why pairs could not be rated."""
    store.fail_rating(tx, attempt, problem, until)


@use_case
def open_periods(tx: Session, *, at: datetime) -> None:
    """Have a pair for each month of what is sold, up to that of tomorrow in business time."""
    newest = Period.containing(business_now(tx, at) + timedelta(days=1), zone_of("UTC"))
    links: dict[date, list[tuple[UUID, UUID]]] = defaultdict(list)
    for seller, buyer, first in sold_links(tx):
        links[first.replace(day=1)].append((seller, buyer))
    for first, sold in links.items():
        period = Period(first.year, first.month)
        periods = []
        while period <= newest:
            periods.append(period.text)
            period = period.next()
        pairs.ensure_pairs(tx, sold, periods)


@use_case
def due_pairs(tx: Session, *, at: datetime) -> list[int]:
    """The pairs to rate next, of one seller and period; none while usage of before is still being made again."""
    if store.is_packing(tx):
        return []
    return next(pieces(tx, pairs.due_pairs(tx, at, MOST), at), [])


def pieces(tx: Session, rows: Sequence[PairRow], at: datetime) -> Iterator[list[int]]:
    """Pairs of one seller and period, in their order, as many at a time as are to be rated at once."""
    tree = load_tree(tx, business_now(tx, at))
    piece: list[int] = []
    size = 0
    for row in rows:
        concerned = len(tree.below([row.buyer_id]))
        if piece and size + concerned > MOST:
            yield piece
            piece, size = [], 0
        piece.append(row.id)
        size += concerned
    if piece:
        yield piece


@use_case
def rated_rows(tx: Session, *, attempt: Attempt) -> Generations:
    """Rate pairs: rows of charges, of their parts, of what is not priced, and of what is charged with others."""
    own = {each.buyer: {"pair_id": each.pair, "generation": each.fence} for each in attempt.begun}
    # Internal cost is spread over all that is sold and used, so it needs every buyer.
    buyers = None if attempt.seller in own else list(own)
    seller = tx.get_one(OrganisationRow, attempt.seller)
    cards = cost_cards(tx, seller) if attempt.seller in own else {}
    also = [version for card in cards.values() for version in card.versions]
    loaded = load_links(tx, attempt.seller, Period.parse(attempt.period), buyers=buyers, named=False, also=also)
    sold = {buyer: keys for buyer, keys in own.items() if buyer != attempt.seller}
    found = [rows_of(loaded.rate(), sold)] if sold else []
    if attempt.seller in own:
        costs = rate_costs(seller, loaded, cards)
        found.append(rows_of(costs, {attempt.seller: own[attempt.seller]}, of_all=True))
    return Generations(
        [row for each in found for row in each.charges],
        [row for each in found for row in each.not_priced],
        [row for each in found for row in each.together],
        pl.concat([each.parts for each in found]),
    )


def rows_of(rated: RatedPeriod, pairs: Mapping[UUID, Mapping[str, int]], *, of_all: bool = False) -> Generations:
    """The rows of some buyers' charges.

    Args:
        pairs: the pair and generation of each buyer.
        of_all: all charges are the one pair's, whoever the buyer of their line is.
    """
    charges: list[dict[str, Any]] = []
    not_priced: list[dict[str, Any]] = []
    together: list[dict[str, Any]] = []
    parts, counts = _Parts(rated), Counter[tuple[str, int]]()

    @cache
    def pair_of(line: int) -> Mapping[str, int] | None:
        return next(iter(pairs.values())) if of_all else pairs.get(rated.lines[line].row.buyer_id)

    def placed(what: str, keys: Mapping[str, int]) -> dict[str, Any]:
        """The pair and generation of a row, and where it stands among the pair's."""
        number = keys["pair_id"]
        counts[what, number] += 1
        return {**keys, "position": counts[what, number] - 1}

    for charge in rated.rated.charges:
        keys = pair_of(charge.line)
        if keys is not None:
            row = placed("charge", keys)
            parts.add(keys, row["position"], charge)
            charges.append(row | _charge_row(charge, rated))
    missing = [(pair_of(each.line), _unpriced_row(each, rated)) for each in rated.rated.unpriced]
    missing += [(pairs.get(each.buyer), _unassigned_row(each, rated)) for each in rated.unassigned]
    not_priced += [placed("missing", keys) | row for keys, row in missing if keys is not None]
    for each in rated.together:
        keys = pairs.get(each.buyer) if each.line is None else pair_of(each.line)
        if keys is not None:
            together.append(placed("together", keys) | _together_row(each, rated))
    frame = parts.frame()
    _add_evidence(charges, frame)
    columns = frame.select(pl.col(name).cast(each) for name, each in PART_SCHEMA.items())
    return Generations(charges, not_priced, together, columns)


def _add_evidence(charges: Sequence[dict[str, Any]], parts: pl.DataFrame) -> None:
    """Add to charges the hash of what each was made from."""
    texts = parts.select("charge", evidence_rows("project_number", "resource_id", "day", "quantity").alias("row"))
    joined = texts.group_by("charge").agg(pl.col("row").sort().str.join("\n"))
    made_from = dict(joined.iter_rows())
    for number, row in enumerate(charges):
        row["evidence"] = evidence_of(row["attribute_sets"], [made_from[number]] if number in made_from else [])


def _charge_row(charge: Charge, rated: RatedPeriod) -> dict[str, Any]:
    line = rated.lines[charge.line]
    return {
        "supply_line_id": line.row.id,
        "rate_card_version_id": line.version_ids[charge.version.number],
        "kind": charge.kind,
        "rate": charge.rate,
        "project_number": None if charge.project is None else rated.projects[charge.project].number,
        "meter": charge.meter,
        "unit": charge.unit,
        "quantity": charge.quantity,
        "covered": charge.covered,
        "before": charge.before,
        "true_up": charge.true_up,
        "spread_key": charge.key,
        "amount": charge.amount,
        "shared_quantity": charge.shared.quantity if charge.shared else None,
        "shared_amount": charge.shared.amount if charge.shared else None,
        "advance": charge.advance,
        "service_start": charge.start,
        "service_end": charge.end,
        "blocks": [
            [str(each) for each in (block.start, block.size, block.price, *block.factor.as_integer_ratio())]
            for block in charge.blocks
        ],
        "adjustments": [[each.kind, f"{each.amount:f}"] for each in charge.adjustments],
        "attribute_sets": list(charge.attributes),
        "exchange": [[f"{since}", f"{rate:f}"] for since, rate in charge.exchange] or None,
        "estimated": charge.estimated,
    }


class _Parts:
    """Parts of many charges: those that are rows of a table stay columns, what is made one by one is put beside it."""

    def __init__(self, rated: RatedPeriod) -> None:
        self._projects = [row.number for row in rated.projects]
        self._resources = rated.resources.ids
        self._keys: list[tuple[int, int, int]] = []
        self._rows: dict[PartTable, list[tuple[int, int, int]]] = defaultdict(list)
        self._single: list[Part] = []
        self._of_single: list[tuple[int, int, int]] = []

    def add(self, keys: Mapping[str, int], position: int, charge: Charge) -> None:
        """Add a charge's parts."""
        number, parts = len(self._keys), charge.parts
        self._keys.append((keys["pair_id"], keys["generation"], position))
        if isinstance(parts, Parts):
            self._rows[parts.table].append((number, parts.first, parts.last))
        else:
            self._of_single.append((number, len(self._single), len(self._single) + len(parts)))
            self._single.extend(parts)

    def frame(self) -> pl.DataFrame:
        """All of them as they are stored, beside the number of their charge in the order in which they were added."""
        single = PartTable(pl.DataFrame(self._single, schema=PartTable.SCHEMA, orient="row"))
        tables = {**self._rows, single: self._of_single}
        found = [_chosen(table, rows) for table, rows in tables.items() if rows]
        rows = pl.concat([single.frame.clear().with_columns(charge=0, position=0), *found], how="vertical_relaxed")
        rows = rows.sort("charge", "position")
        keys = np.array(self._keys, dtype=np.int64).reshape(-1, 3)[rows["charge"].to_numpy()].T
        return rows.select(
            "charge",
            *(
                pl.Series(name, values)
                for name, values in zip(("pair_id", "generation", "charge_position"), keys, strict=True)
            ),
            "position",
            pl.Series("project_number", self._projects, dtype=pl.Int32).gather(rows["project"]),
            pl.Series("resource_id", self._resources, dtype=pl.Int32).gather(rows["resource"]),
            "day",
            pl.col("micro").alias("quantity"),
            pl.col("pico").alias("amount"),
        )


def _chosen(table: PartTable, rows: Sequence[tuple[int, int, int]]) -> pl.DataFrame:
    """Parts of a table: of each charge from one row of it to another."""
    number, first, last = np.array(rows, dtype=np.int64).T
    size = last - first
    charge = np.repeat(number, size)
    position = np.arange(len(charge)) - np.repeat(np.cumsum(size) - size, size)
    found: pl.DataFrame = table.frame[np.repeat(first, size) + position]
    return found.with_columns(charge=charge, position=position)


def _unpriced_row(missing: Unpriced, rated: RatedPeriod) -> dict[str, Any]:
    line = rated.lines[missing.line]
    return {
        "supply_line_id": line.row.id,
        "organisation_id": line.subscription.organisation_id,
        "project_number": None if missing.project == ALL else rated.projects[missing.project].number,
        "meter": missing.meter,
        "attribute_set_id": None if missing.attributes == ALL else missing.attributes,
        "resource_id": None if missing.resource == ALL else rated.resources.ids[missing.resource],
        "quantity": missing.quantity,
    }


def _unassigned_row(rest: Unassigned, rated: RatedPeriod) -> dict[str, Any]:
    return {
        "supply_line_id": None,
        "organisation_id": rest.owner,
        "project_number": rest.project,
        "meter": rest.meter,
        "attribute_set_id": None,
        "resource_id": rated.resources.ids[rest.resource],
        "quantity": unscaled(rest.quantity, QUANTITY_PLACES),
    }


def _together_row(each: Together, rated: RatedPeriod) -> dict[str, Any]:
    return {
        "supply_line_id": None if each.line is None else rated.lines[each.line].row.id,
        "organisation_id": each.owner,
        "project_number": each.project_number,
        "meter": each.meter,
        "attribute_set_id": each.attributes,
        "resource_id": rated.resources.ids[each.resource],
        "composite_id": None if each.composite == ALL else rated.resources.ids[each.composite],
        "quantity": unscaled(each.quantity, QUANTITY_PLACES),
        "hours": each.hours,
    }
