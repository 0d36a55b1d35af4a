"""The readings that a billed charge was made from."""

from bisect import bisect_right
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from itertools import islice
from typing import Any

import polars as pl
from sqlalchemy import ColumnElement, Select, and_, exists, func, or_, select, text
from sqlalchemy.orm import Session

from gradumen.core.catalogue.services import Combine
from gradumen.store.billing.archived_evidence import archived_of
from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.readings import NEWEST, said_since, stood
from gradumen.store.metering.tables import (
    REPLACED,
    FeedRow,
    OriginRow,
    ReadingRow,
    ResourceRow,
    SupersededReadingRow,
)
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, moves_between

LONGEST_READING = timedelta(hours=24)
Place = tuple[int, int, int, date, int]
"""Resource, attributes, origin, day of UTC, and how many moves there were before: readings alike have one owner."""


@dataclass(frozen=True, slots=True)
class EvidentReading:
    """A reading with the slug of its feed, where it comes from, and its resource."""

    reading: ReadingRow
    feed: str
    origin: OriginRow
    resource: str


@dataclass(frozen=True, slots=True)
class Nobodys:
    """Readings without owner that are alike, of one day between two moves; ``start`` is that of the first."""

    place: Place
    start: datetime


class Evidence:
    """What may be a charge's: what names one of its projects, or nobody and is of one of its resources on its days.

    As of the delivery that was the last when it was rated: what came or was replaced since is not in it. Of what names
    nobody only the rules of then can say whether it is.
    """

    def __init__(self, tx: Session, charge: ChargeRow, offset: timedelta) -> None:
        """``offset``: of the seller's clocks from UTC, by which parts have their days."""
        self._tx, self._charge, self._offset = tx, charge, offset
        self.meter = tx.scalars(select(MeterRow).where(MeterRow.slug == charge.meter)).first()
        self.held = self.meter is not None and self.meter.combine == Combine.HELD
        self._newest = charge.explanation.get("delivery", NEWEST)
        numbered = projects_of(tx, charge)
        self.projects = frozenset(numbered)
        self._owners = [*numbered.values()]
        self._span = charge.service_start - LONGEST_READING, charge.service_end
        self._moves = moves_between(tx, *self._span)
        self._archived = pl.DataFrame()
        if self.meter is not None and not self.held:
            hold_places(tx)
            self._archived = archived_of(
                tx, charge, self.meter.id, self._owners, span=self._span, offset=offset, newest=self._newest
            )

    def named(self) -> set[int]:
        """The resources of which some of it names one of the charge's projects."""
        query = self._of(select(ReadingRow.resource_id).distinct()).where(OriginRow.owner.is_not(None))
        return set(self._tx.scalars(query))

    def nobodys(self) -> list[Nobodys]:
        """What names nobody of it, in groups."""
        if self.meter is None:
            return []
        row = ReadingRow
        keys = (row.resource_id, row.attribute_set_id, row.origin_id)
        eras = [row.start_at >= each for each in self._moves]
        if self.held:
            eras.append(row.start_at >= self._charge.service_start)
        query = self._of(select(*keys, func.min(row.start_at))).where(OriginRow.owner.is_(None))
        query = query.group_by(*keys, func.date(row.start_at), *eras)
        found = {self._place(*each): each[-1] for each in self._tx.execute(query)}
        if not self._archived.is_empty():
            owners = select(OriginRow.id).where(
                OriginRow.owner.is_(None), OriginRow.id.in_(self._archived["origin"].unique().to_list())
            )
            loose = self._archived.filter(pl.col("origin").is_in(self._tx.scalars(owners).all()))
            for each in loose.select("resource", "attributes", "origin", "start").iter_rows():
                found.setdefault(self._place(*each), each[-1])
        return [Nobodys(place, start.astimezone(UTC)) for place, start in found.items()]

    def read(self, others: Collection[Place], *, after: int, limit: int) -> list[EvidentReading]:
        """Its readings in the order in which they came, after so many of them.

        Args:
            others: where those are, of what names nobody, that are somebody else's.
        """
        if self.meter is None:
            return []
        old = self._archived
        if others and not old.is_empty():
            keys = old.select("resource", "attributes", "origin", "start").iter_rows()
            old = old.filter(pl.Series([self._place(*each) not in others for each in keys]))
        # Of two lists in the same order no more is wanted than the first so many of each.
        first, most = (after, limit) if old.is_empty() else (0, after + limit)
        query = self._of(select(ReadingRow, FeedRow.slug, OriginRow, ResourceRow.name))
        query = query.join(FeedRow, FeedRow.id == ResourceRow.feed_id)
        query = query.order_by(ReadingRow.delivery_id, ReadingRow.position)
        found = [EvidentReading(*each) for each in rows_but(self._tx, query, first, most, self._is_in(others))]
        if old.is_empty():
            return found
        found += _as_rows(self._tx, old.head(after + limit))
        return sorted(found, key=lambda each: (each.reading.delivery_id, each.reading.position))[after : after + limit]

    def _is_in(self, others: Collection[Place]) -> Callable[[Any], bool] | None:
        def is_in(found: Any) -> bool:
            row: ReadingRow = found[0]
            return self._place(row.resource_id, row.attribute_set_id, row.origin_id, row.start_at) in others

        return is_in if others else None

    def _place(self, resource: int, attributes: int, origin: int, start: datetime) -> Place:
        at = start.astimezone(UTC)
        return resource, attributes, origin, at.date(), bisect_right(self._moves, at)

    def _of(self, query: Select[*tuple[Any, ...]]) -> Select[*tuple[Any, ...]]:
        """Readings with their resource and origin: those that may be the charge's."""
        charge, meter = self._charge, self.meter
        resources = select(ChargePartRow.resource).where(ChargePartRow.charge_id == charge.id).distinct()
        named = OriginRow.owner.in_(self._owners)
        told: tuple[ColumnElement[bool], ...]
        if self.held:
            told = (said_since(charge.service_start, self._newest), or_(named, OriginRow.owner.is_(None)))
        else:
            told = self._measured(named)
        return (
            query.join(ResourceRow, ResourceRow.id == ReadingRow.resource_id)
            .join(OriginRow, OriginRow.id == ReadingRow.origin_id)
            .outerjoin(SupersededReadingRow, REPLACED)
            .where(
                *told,
                ResourceRow.name.in_(resources),
                ReadingRow.meter_id == (meter.id if meter else 0),
                ReadingRow.start_at < charge.service_end,
                *stood(self._newest),
            )
        )

    def _measured(self, named: ColumnElement[bool]) -> tuple[ColumnElement[bool], ...]:
        """Of what is measured over some time what touches the charge's, by its owner or a part of the charge."""
        charge, part, seconds = self._charge, ChargePartRow, int(self._offset.total_seconds())
        first, last = (
            func.date(func.timestampadd(text("SECOND"), seconds + more, moment))
            for more, moment in ((0, ReadingRow.start_at), (-1, ReadingRow.end_at))
        )
        has_part = exists().where(
            part.charge_id == charge.id, part.resource == ResourceRow.name, part.day.between(first, last)
        )
        return (
            or_(named, and_(OriginRow.owner.is_(None), has_part)),
            ReadingRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
            ReadingRow.end_at > charge.service_start,
            ReadingRow.start_at > self._span[0],
        )


def rows_but(
    tx: Session, query: Select[*tuple[Any, ...]], first: int, most: int, left_out: Callable[[Any], bool] | None
) -> Iterator[Any]:
    """So many rows after the first so many; those that are left out count for neither."""
    if left_out is None:
        yield from tx.execute(query.offset(first).limit(most))
        return
    with tx.execute(query.execution_options(yield_per=1000)) as rows:
        yield from islice((each for each in rows if not left_out(each)), first, first + most)


def _as_rows(tx: Session, frame: pl.DataFrame) -> list[EvidentReading]:
    """Archived readings as they were before they were."""
    origins = {row.id: row for row in tx.scalars(select(OriginRow).where(OriginRow.id.in_(set(frame["origin"]))))}
    feeds = select(ResourceRow.id, FeedRow.slug).join(FeedRow, FeedRow.id == ResourceRow.feed_id)
    slugs: dict[int, str] = dict(tx.execute(feeds.where(ResourceRow.id.in_(set(frame["resource"])))).all())
    return [
        EvidentReading(
            ReadingRow(
                resource_id=each["resource"], meter_id=each["meter"], start_at=each["start"],
                delivery_id=each["delivery"], position=each["position"], end_at=each["end"],
                origin_id=each["origin"], attribute_set_id=each["attributes"], event_id=each["event"],
                sequence=each["sequence"], quantity=each["quantity"],
            ),
            slugs[each["resource"]], origins[each["origin"]], each["name"],
        )
        for each in frame.iter_rows(named=True)
    ]  # fmt: skip


def projects_of(tx: Session, charge: ChargeRow) -> dict[int, str]:
    """The projects that a charge has parts of, by number, as ``organisation/project``."""
    projects = select(ChargePartRow.project_id).where(ChargePartRow.charge_id == charge.id).distinct()
    paths = tx.execute(
        select(ProjectRow.number, OrganisationRow.slug, ProjectRow.slug)
        .join(ProjectRow, ProjectRow.organisation_id == OrganisationRow.id)
        .where(ProjectRow.id.in_(projects))
    )
    return {number: f"{organisation}/{project}" for number, organisation, project in paths}
