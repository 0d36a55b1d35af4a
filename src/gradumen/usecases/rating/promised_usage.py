"""What quotas promise to a seller's buyers, hour by hour, each row with the line that takes it."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from uuid import UUID
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.catalogue.rates import PROMISED, RateCardVersion
from gradumen.core.exact import QUANTITY_PLACES, scaled
from gradumen.core.periods import beyond_hour, day_start, hour_number
from gradumen.core.quotas.measures import Measure
from gradumen.core.rating.charges import ALL, Unpriced
from gradumen.core.rating.promises import Change, Era, hourly, levels_over, shares_over
from gradumen.core.rating.rating import USAGE_SCHEMA, RatedLine
from gradumen.core.subscriptions.assignment_rules import Candidate, assign
from gradumen.core.units import parse_unit
from gradumen.store.organisations.tables import ProjectRow, Tree
from gradumen.store.quotas.promised import promises_before
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.metering.stored_readings import attribute_sets_of
from gradumen.usecases.rating.assigned_usage import SoldLine

_TOLD = ("row", "holder", "attributes")
_TAKEN = ("holder", "from_hour", "to_hour", "line", "project")


@dataclass(frozen=True, slots=True)
class Promised:
    """What is promised, see `gradumen.core.rating.rating.USAGE_SCHEMA`, and where there is no limit to charge.

    Of no project, and of no resource, is `gradumen.core.rating.charges.ALL`.
    """

    usage: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=USAGE_SCHEMA))
    no_limit: list[Unpriced] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Sale:
    """What a seller sells in a period to whom: its lines, and the trees of that time with their moments."""

    seller: UUID
    above: Collection[UUID]
    start: datetime
    end: datetime
    zone: ZoneInfo
    lines: Mapping[int, SoldLine]
    rated: Mapping[int, RatedLine]
    trees: Sequence[tuple[datetime, Tree]]
    wanted: Collection[UUID] | None
    """Only these buyers; None is all."""
    projects: Sequence[ProjectRow]

    def buyers(self, tree: Tree) -> list[UUID]:
        """Those of a tree to whom the seller sells."""
        return [each for each in tree.children(self.seller) if self.wanted is None or each in self.wanted]

    @property
    def eras(self) -> Iterator[tuple[datetime, datetime, Tree]]:
        """Each tree with from when to when it holds."""
        ends = [*(moment for moment, _ in self.trees[1:]), self.end]
        for (moment, tree), until in zip(self.trees, ends, strict=True):
            yield moment, until, tree

    def priced(self, number: int, meter: str) -> Iterator[tuple[int, int]]:
        """In which of its hours a line's card prices a meter; not while it pauses."""
        line = self.rated[number]
        if line.paused or not line.versions:
            return
        first, last = hour_number(self.start, self.zone), hour_number(self.end, self.zone)
        opens = max(first, hour_number(line.start, self.zone))
        closes = last if line.end is None else min(last, hour_number(line.end, self.zone))
        later = [hour_number(day_start(each.starts_on, self.zone), self.zone) for each in line.versions[1:]]
        for version, until in zip(line.versions, [*later, last], strict=True):
            since = max(opens, hour_number(day_start(version.starts_on, self.zone), self.zone))
            if since < min(until, closes) and prices(version, meter):
                yield since, min(until, closes)


def prices(version: RateCardVersion, meter: str) -> bool:
    """Whether a rate of a version is on a meter."""
    return any(rate.meter == meter for rate in version.usage_rates)


def load_promised(tx: Session, sale: Sale, published: Published) -> Promised:
    """What quotas promise to a seller's buyers and all below them, where a card prices that.

    Each has its own share of what its link was promised (see `gradumen.core.rating.promises`). Its own line takes it
    where its card prices the measure, else that of the nearest above it up to the buyer; where there is none, it is
    not charged. What is promised now is taken to last to the end of the period.
    """
    found = Promised()
    for meter in published.promised:
        hours = {number: priced for number in sale.lines if (priced := list(sale.priced(number, meter)))}
        if hours:
            measure = published.measures.ever[meter.removeprefix(PROMISED)]
            owners = {each for _, tree in sale.trees for each in tree.below(sale.buyers(tree))}
            of = _OfMeasure(sale, hours, changes_of(tx, owners, measure, sale.above, sale.end))
            missing = [Unpriced(number, meter, ALL, ALL, ALL, Decimal(0)) for number in of.without_limit()]
            rows = of.rows(tx, published.numbered[meter])
            found = Promised(pl.concat([found.usage, rows]), found.no_limit + missing)
    return found


def level_factor(measure: Measure) -> int:
    """How many base units one unit of a measure is."""
    return int(parse_unit(measure.unit, counted=None if measure.base == "byte" else measure.base).factor)


def changes_of(
    tx: Session, owners: Collection[UUID], measure: Measure, above: Collection[UUID], before: datetime
) -> list[Change[UUID]]:
    """What owners might have of a measure when, in millionths of base units.

    Args:
        above: a seller and those above it: limits at sites of others are none of its business.
    """
    factor = level_factor(measure)
    return [
        Change(
            at=int(row.changed_at.timestamp()),
            holder=row.project_id or row.organisation_id,
            place=site.slug if site else "",
            level=None if row.limit_value is None else scaled(row.limit_value, QUANTITY_PLACES) * factor,
        )
        for row, site in promises_before(tx, owners, measure, before)
        if site is None or site.organisation_id in above
    ]


class _OfMeasure:
    """What is promised of one measure, and in which hours which lines have a price for it."""

    def __init__(self, sale: Sale, hours: Mapping[int, list[tuple[int, int]]], changes: Sequence[Change[UUID]]) -> None:
        self.sale, self.hours, self.changes = sale, hours, changes
        self.span = int(sale.start.timestamp()), int(sale.end.timestamp())
        self.lines: dict[UUID, list[int]] = defaultdict(list)
        for number in hours:
            self.lines[sale.lines[number].subscription.organisation_id].append(number)
        self.index = {row.id: number for number, row in enumerate(sale.projects)}
        self.projects: dict[UUID, list[ProjectRow]] = defaultdict(list)
        """Those right below an organisation or a project."""
        for row in sale.projects:
            self.projects[row.parent_id or row.organisation_id].append(row)

    def rows(self, tx: Session, meter: int) -> pl.DataFrame:
        """What each line takes of it, as usage of a meter."""
        eras = [
            Era(int(since.timestamp()), self.sale.buyers(tree), self._below(tree)) for since, _, tree in self.sale.eras
        ]
        shares = list(shares_over(self.changes, *self.span, eras))
        sets = attribute_sets_of(tx, {_attributes(share.place) for share in shares}) if shares else {}
        holders = {holder: number for number, holder in enumerate(dict.fromkeys(share.holder for share in shares))}
        told = [(row, holders[each.holder], sets[_attributes(each.place)]) for row, each in enumerate(shares)]
        taken = [
            (holders[holder], *interval)
            for since, until, tree in self.sale.eras
            for holder in holders
            for interval in self._intervals(holder, since, until, tree)
        ]
        told_frame, taken_frame = (
            pl.DataFrame(rows, schema=dict.fromkeys(names, pl.Int32), orient="row").lazy()
            for rows, names in ((told, _TOLD), (taken, _TAKEN))
        )
        inside = (pl.col("hour") >= pl.col("from_hour")) & (pl.col("hour") < pl.col("to_hour"))
        found = hourly(shares, int(beyond_hour(self.sale.zone).total_seconds())).lazy()
        found = found.join(told_frame, on="row").join(taken_frame, on="holder").filter(inside)
        keys = ("line", "attributes", "project", "hour")
        summed = found.group_by(keys).agg(pl.col("quantity").sum()).sort(keys)
        named = summed.with_columns(meter=pl.lit(meter), resource=pl.lit(ALL))
        return named.select(pl.col(name).cast(kind) for name, kind in USAGE_SCHEMA.items()).collect()

    def _below(self, tree: Tree) -> Callable[[UUID], list[UUID]]:
        """Who is right below an organisation or a project: projects, and of an organisation its customers."""
        return lambda holder: [*(row.id for row in self.projects.get(holder, ())), *tree.children(holder)]

    def _intervals(
        self, holder: UUID, since: datetime, until: datetime, tree: Tree
    ) -> Iterator[tuple[int, int, int, int]]:
        """From which hour to which a line takes what a holder is promised, and of which project that is."""
        place = self.index.get(holder)
        project = None if place is None else self.sale.projects[place]
        owner = project.organisation_id if project else holder
        sold = self.sale.buyers(tree)
        chain = tree.chain(owner)
        opens, closes = (hour_number(moment, self.sale.zone) for moment in (since, until))
        candidates: list[Candidate] = []
        for depth, each in enumerate(chain):
            for number in self.lines.get(each, ()):
                row = self.sale.lines[number].subscription
                if row.project_id is not None and (project is None or depth or row.project_id != project.id):
                    continue
                rank = (depth, int(row.project_id is None), row.starts_on.toordinal(), row.name)
                for first, last in self.hours[number]:
                    if max(first, opens) < min(last, closes):
                        candidates.append(Candidate(rank, number, max(first, opens), min(last, closes)))
            if each in sold:
                break
        else:
            return
        for first, last, number in assign(candidates):
            own = self.sale.lines[number].subscription.organisation_id == owner
            yield first, last, number, place if own and place is not None else ALL

    def without_limit(self) -> Iterator[int]:
        """The lines that price a measure of which those that they are for have no limit at the end of the period."""
        *_, (_, _, levels) = levels_over(self.changes, *self.span)
        last = hour_number(self.sale.end, self.sale.zone)
        for number, hours in self.hours.items():
            row = self.sale.lines[number].subscription
            if hours[-1][1] == last and (row.project_id or row.organisation_id) not in levels:
                yield number


def _attributes(place: str) -> tuple[tuple[str, str], ...]:
    return (("site", place),) if place else ()
