"""Rules that say of what kind readings are, and the readings that they are about."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Select, SmallInteger, String, delete, func, insert, select
from sqlalchemy.dialects.mysql import insert as insert_or
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.metering.kinds import UNKNOWN
from gradumen.store import revisions
from gradumen.store.columns import Base
from gradumen.store.metering.readings import Origin
from gradumen.store.metering.tables import (
    REPLACED,
    FeedRow,
    OriginRow,
    ReadAgainRow,
    ReadingKeyRow,
    ReadingRow,
    ResourceRow,
    SupersededReadingRow,
)


class KindRuleListRow(Base):
    """The rules of a seller together: each change of them counts a version, and rivals queue here.

    ``tried`` is the token of the catalogue with which what is of unknown kind was last read.
    """

    __tablename__ = "kind_rule_lists"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    version: Mapped[int]
    tried: Mapped[UUID | None]


class KindRuleRow(Base):
    """A rule of a seller, as positions order them; its days are those of UTC on which readings start."""

    __tablename__ = "kind_rules"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    position: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    starts_on: Mapped[date]
    ends_on: Mapped[date | None]
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)
    kind: Mapped[dict[str, Any]] = mapped_column(JSON)
    """What it says that readings are, as it is written."""


def rules_of(tx: Session, seller: UUID) -> list[KindRuleRow]:
    """The rules of a seller, as they were written."""
    row = KindRuleRow
    return list(tx.scalars(select(row).where(row.organisation_id == seller).order_by(row.position)))


def lock_version(tx: Session, seller: UUID) -> int:
    """Write the row that every change of a seller's rules writes; gives the version before."""
    row = KindRuleListRow
    tx.execute(insert_or(row).values(organisation_id=seller, version=0).prefix_with("IGNORE"))
    return tx.scalars(select(row).where(row.organisation_id == seller).with_for_update()).one().version


def version_of(tx: Session, seller: UUID) -> int:
    """How often a seller's rules were changed."""
    row = tx.get(KindRuleListRow, seller)
    return row.version if row else 0


def lock_feeds(tx: Session, seller: UUID) -> None:
    """Wait for what is coming in by a seller's feeds, and let nothing more in until the rules are others."""
    tx.execute(select(FeedRow.id).where(FeedRow.organisation_id == seller).order_by(FeedRow.id).with_for_update()).all()


def share_feed(tx: Session, feed: int) -> None:
    """Have whoever changes rules wait until what comes in now is there: it is of the kind that they say before."""
    tx.execute(select(FeedRow.id).where(FeedRow.id == feed).with_for_update(read=True)).all()


def replace_rules(tx: Session, seller: UUID, rows: Sequence[KindRuleRow]) -> None:
    """Put these in the place of a seller's rules."""
    tx.execute(delete(KindRuleRow).where(KindRuleRow.organisation_id == seller))
    tx.flush()
    tx.add_all(rows)
    tx.get_one(KindRuleListRow, seller).version += 1
    tx.flush()


# What a list of all that is there says is of the meter that it lists.
_STANDING = f"""
FROM resources z JOIN readings r ON r.resource_id = z.id
LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE z.feed_id IN ({{feeds}}) AND r.start_at >= %s AND r.start_at < %s AND s.delivery_id IS NULL
AND (NOT {{unknown}} OR r.meter_id = {UNKNOWN})
AND NOT (r.start_at = r.end_at AND EXISTS (SELECT 1 FROM listings l WHERE l.delivery_id = r.delivery_id
AND l.meter_id = r.meter_id AND l.listed_at = r.start_at
AND LEFT(r.event_id, CHAR_LENGTH(l.event_id) + 1) = CONCAT(l.event_id, '/')))
"""
_GROUPS = (
    "SELECT r.resource_id, z.feed_id, z.name, r.meter_id, r.origin_id, r.attribute_set_id, r.start_at = r.end_at, "
    "COUNT(*), SUM(r.quantity), SUM(r.quantity * TIMESTAMPDIFF(SECOND, r.start_at, r.end_at)), "
    "MIN(r.start_at), MAX(r.start_at) " + _STANDING + "GROUP BY 1, 2, 3, 4, 5, 6, 7 ORDER BY 1, 4, 5, 6, 7 LIMIT %s"
)
_READINGS = (
    "SELECT r.resource_id, r.meter_id, r.start_at, r.delivery_id, r.position, r.end_at, r.origin_id, "
    "r.attribute_set_id, r.event_id, r.sequence, r.quantity " + _STANDING + "AND r.resource_id IN ({resources}) "
    "AND (r.resource_id, r.meter_id, r.origin_id, r.attribute_set_id) IN ({groups}) "
    "AND (r.resource_id, r.meter_id, r.start_at, r.delivery_id, r.position) > (%s, %s, %s, %s, %s) "
    "ORDER BY 1, 2, 3, 4, 5 LIMIT %s"
)
_UNKNOWN_OF = f"""
SELECT MIN(r.start_at), MAX(r.start_at) FROM feeds f JOIN resources z ON z.feed_id = f.id
JOIN readings r ON r.resource_id = z.id AND r.meter_id = {UNKNOWN}
LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE f.organisation_id = %s AND s.delivery_id IS NULL
"""


@dataclass(frozen=True, slots=True)
class KindGroup:
    """Readings that stand, alike in all that a rule can look at but the day: their quantity is as it is kept.

    ``by_seconds`` is the sum of each quantity times the seconds that its reading covers.
    """

    resource: int
    feed: int
    name: str
    meter: int
    origin: int
    attributes: int
    held: bool
    readings: int
    quantity: Decimal
    by_seconds: Decimal
    first: datetime
    last: datetime

    @property
    def key(self) -> tuple[int, int, int, int]:
        """What its readings have in common."""
        return self.resource, self.meter, self.origin, self.attributes


def groups_of(
    tx: Session, feeds: Sequence[int], first: datetime, end: datetime, most: int, *, unknown: bool = False
) -> list[KindGroup]:
    """The readings of feeds that stand, started in a span of time, in groups; ``most`` at most.

    Args:
        unknown: only those of unknown kind.
    """
    if not feeds:
        return []
    statement = _GROUPS.format(feeds=_marks(feeds), unknown=int(unknown))
    rows = tx.connection().exec_driver_sql(statement, (*feeds, _plain(first), _plain(end), most)).fetchall()
    return [
        KindGroup(resource, feed, name, meter, origin, attributes, bool(held), *rest)
        for resource, feed, name, meter, origin, attributes, held, *rest in rows
    ]


Place = tuple[int, int, datetime, int, int]
"""Where a reading is: resource, meter, start, delivery and position."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A reading that stands, as it is kept."""

    place: Place
    end: datetime
    origin: int
    attributes: int
    event: str
    sequence: int
    quantity: Decimal


def readings_of(
    tx: Session, groups: Sequence[KindGroup], first: datetime, end: datetime, after: Place | None, most: int
) -> list[Standing]:
    """The readings of groups, started in a span of time, in the order of their places after one; ``most`` at most."""
    keys = sorted({each.key for each in groups})
    resources, feeds = sorted({key[0] for key in keys}), sorted({each.feed for each in groups})
    statement = _READINGS.format(
        feeds=_marks(feeds),
        unknown=0,
        resources=_marks(resources),
        groups=", ".join(["(%s, %s, %s, %s)"] * len(keys)),
    )
    since = after or (0, -1, _plain(first), 0, 0)
    values = (
        *feeds, _plain(first), _plain(end), *resources, *(value for key in keys for value in key), *since, most,
    )  # fmt: skip
    rows = tx.connection().exec_driver_sql(statement, values).fetchall()
    return [Standing(row[:5], *row[5:]) for row in (tuple(each) for each in rows)]


def origins_by_number(tx: Session, numbers: Collection[int]) -> dict[int, Origin]:
    """Origins by number."""
    rows = tx.scalars(select(OriginRow).where(OriginRow.id.in_(numbers)))
    return {
        row.id: Origin(
            row.source, row.account, row.owner, row.sent_meter, row.sent_unit, row.sent_set_id, row.factor,
            row.is_amount,
        )
        for row in rows
    }  # fmt: skip


_KEYS = (
    "INSERT INTO reading_keys (`key`, content, sequence, delivery_id, position, resource_id, meter_id, start_at) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON DUPLICATE KEY UPDATE delivery_id = VALUES(delivery_id), "
    "position = VALUES(position), meter_id = VALUES(meter_id)"
)


def put_again(tx: Session, delivery: int, moved: Sequence[tuple[Standing, ReadingKeyRow, int]]) -> None:
    """Keep where readings went that were read again, in their order: each with what it is known by, and its meter."""
    old = [each.place[3:] for each, _, _ in moved]
    row = ReadAgainRow
    before = select(row).where(row.delivery_id.in_({by for by, _ in old}))
    sent = {(each.delivery_id, each.position): each.sent_delivery_id for each in tx.scalars(before)}
    tx.execute(
        insert(SupersededReadingRow),
        [{"delivery_id": by, "position": position, "by_delivery_id": delivery} for by, position in old],
    )
    tx.execute(
        insert(row),
        [
            {"delivery_id": delivery, "position": position, "sent_delivery_id": sent.get(place, place[0])}
            for position, place in enumerate(old)
        ],
    )
    keys = [
        (known.key, known.content, known.sequence, delivery, position, known.resource_id, meter, each.place[2])
        for position, (each, known, meter) in enumerate(moved)
    ]
    tx.connection().exec_driver_sql(_KEYS, keys)
    tx.expire_all()


def _unknown(feeds: Sequence[int], since: datetime, *columns: Any) -> Select[Any]:
    """Of readings of feeds of unknown kind that stand and started since a moment."""
    row = ReadingRow
    query = select(*columns).join(row, row.resource_id == ResourceRow.id).outerjoin(SupersededReadingRow, REPLACED)
    query = query.where(ResourceRow.feed_id.in_(feeds), row.meter_id == UNKNOWN, row.start_at >= since)
    return query.where(SupersededReadingRow.delivery_id.is_(None))


def resources_unknown(tx: Session, feeds: Sequence[int], since: datetime) -> int:
    """How many resources of feeds sent something of unknown kind that started since a moment."""
    return tx.scalar(_unknown(feeds, since, func.count(ResourceRow.id.distinct()))) or 0


def counts_unknown(tx: Session, feeds: Sequence[int], start: datetime, end: datetime) -> dict[int, int]:
    """How many readings of unknown kind started in a span of time, by feed."""
    query = _unknown(feeds, start, ResourceRow.feed_id, func.count()).where(ReadingRow.start_at < end)
    return dict(tx.execute(query.group_by(ResourceRow.feed_id)).all())


def to_try(tx: Session) -> dict[UUID, tuple[datetime, datetime]]:
    """Sellers with what is of unknown kind that was not read with the catalogue of now; it is said to be by this.

    Each with when the first and the last of it started.
    """
    token = revisions.token_of(tx, revisions.CATALOGUE)
    tried = dict(tx.execute(select(KindRuleListRow.organisation_id, KindRuleListRow.tried)).all())
    found = {}
    for seller in sorted(set(tx.scalars(select(FeedRow.organisation_id)))):
        if seller in tried and tried[seller] == token:
            continue
        first, last = tx.connection().exec_driver_sql(_UNKNOWN_OF, (seller.hex,)).one()
        lock_version(tx, seller)
        tx.get_one(KindRuleListRow, seller).tried = token
        if first is not None:
            found[seller] = first, last
    return found


def _marks(values: Collection[object]) -> str:
    return ", ".join(["%s"] * len(values))


def _plain(at: datetime) -> datetime:
    """A moment as the driver takes it."""
    return at.replace(tzinfo=None)
