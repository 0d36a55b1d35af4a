"""Months of readings that are archived: what was measured before a day is fixed, and kept in packed parts."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import Index, LargeBinary, delete, func, select, update
from sqlalchemy.dialects.mysql import BINARY, DECIMAL, LONGBLOB
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.metering.archives import pack, unpack
from gradumen.core.metering.kinds import UNKNOWN
from gradumen.core.periods import Period
from gradumen.store.bulk import escaped
from gradumen.store.columns import Base, Second, ascii_text
from gradumen.store.metering.readings import add_readings
from gradumen.store.metering.spells import held_meters
from gradumen.store.metering.stale_usage import bare_midnight
from gradumen.store.metering.tables import StaleUsageRow


class ArchiveBoundRow(Base):
    """Row 1: from which UTC day on usage of what is measured can be made again; before it readings are fixed.

    Row 2 stands for where readings are: whoever reads both rows and parts holds it, so that none moves meanwhile.
    """

    __tablename__ = "archive_bounds"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    before: Mapped[date | None]


class ArchivedPartRow(Base):
    """All archived readings of some resources that start in a month, packed (`gradumen.core.metering.archives`)."""

    __tablename__ = "archived_parts"
    __table_args__ = (Index("ix_archived_parts_month_first_resource", "month", "first_resource"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    month: Mapped[str] = mapped_column(ascii_text(7))
    first_resource: Mapped[int]
    last_resource: Mapped[int]
    readings: Mapped[int]
    size: Mapped[int]
    hash: Mapped[bytes] = mapped_column(LargeBinary(32).with_variant(BINARY(32), "mysql", "mariadb"))
    content: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB, "mysql", "mariadb"))


class ArchivedSumRow(Base):
    """What archived readings that start in a quarter of an hour came to, as feeds' balances add them up."""

    __tablename__ = "archived_sums"

    feed_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    start_at: Mapped[datetime] = mapped_column(Second, primary_key=True)
    readings: Mapped[int]
    replaced: Mapped[int]
    taken_back: Mapped[int]
    summed: Mapped[Decimal] = mapped_column(DECIMAL(50, 6))
    by_seconds: Mapped[Decimal] = mapped_column(DECIMAL(60, 6))


PART = 100_000
"""Readings of a part, unless one resource alone has more."""
_SOME = 5_000
"""Resources that are looked at for a part."""
# What holds until it changes goes on, what is of unknown kind is looked at anew, and what ends after the bound
# is of days that are made again: these stay.
_BEFORE = f"r.start_at < %s AND r.end_at <= %s AND r.end_at <> r.start_at AND r.meter_id <> {UNKNOWN}"
_FIXED = f"r.start_at >= %s AND {_BEFORE} AND r.resource_id >= %s"
_RESOURCES = (
    f"SELECT r.resource_id, COUNT(*) FROM readings r WHERE {_FIXED} GROUP BY r.resource_id "
    "ORDER BY r.resource_id LIMIT %s"
)
_READINGS = f"""
SELECT r.resource_id, r.meter_id, r.start_at, r.delivery_id, r.position, r.end_at, r.origin_id, r.attribute_set_id,
r.event_id, r.sequence, r.quantity, s.by_delivery_id
FROM readings r LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE {_FIXED} AND r.resource_id <= %s ORDER BY 1, 2, 3, 4, 5
"""
_DELETE = f"DELETE r FROM readings r WHERE {_FIXED} AND r.resource_id <= %s"
_ADD_UP = f"""
INSERT INTO archived_sums (feed_id, meter_id, start_at, readings, replaced, taken_back, summed, by_seconds)
SELECT feed_id, meter_id, quarter, {{sign}} stands, {{sign}} was_replaced, {{sign}} was_taken_back, {{sign}} came_to,
{{sign}} came_to_by_seconds FROM (
SELECT z.feed_id, r.meter_id,
r.start_at - INTERVAL MOD(MINUTE(r.start_at), 15) MINUTE - INTERVAL SECOND(r.start_at) SECOND AS quarter,
SUM(s.delivery_id IS NULL) AS stands,
SUM(s.delivery_id IS NOT NULL AND d.takes_back IS NULL AND NOT d.is_read_again) AS was_replaced,
SUM(d.takes_back IS NOT NULL) AS was_taken_back, SUM(IF(s.delivery_id IS NULL, r.quantity, 0)) AS came_to,
SUM(IF(s.delivery_id IS NULL, r.quantity * IF(o.is_amount, 1, TIMESTAMPDIFF(SECOND, r.start_at, r.end_at)), 0))
AS came_to_by_seconds
FROM resources z JOIN readings r ON r.resource_id = z.id JOIN origins o ON o.id = r.origin_id
LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
LEFT JOIN deliveries d ON d.id = s.by_delivery_id
WHERE {_FIXED} AND r.resource_id <= %s GROUP BY z.feed_id, r.meter_id, quarter
) came
ON DUPLICATE KEY UPDATE readings = readings + VALUES(readings), replaced = replaced + VALUES(replaced),
taken_back = taken_back + VALUES(taken_back), summed = summed + VALUES(summed),
by_seconds = by_seconds + VALUES(by_seconds)
"""
_BOUND, _PLACES = 1, 2


def archived_before(tx: Session) -> date | None:
    """The UTC day before which what was measured is archived; None where nothing is."""
    return tx.scalar(select(ArchiveBoundRow.before).where(ArchiveBoundRow.id == _BOUND))


def lock_bound(tx: Session, *, to_move: bool = False) -> date | None:
    """The same, which stays until the transaction ends; whoever moves it waits for all that take readings in."""
    return _lock(tx, _BOUND, alone=to_move).before


def hold_places(tx: Session) -> None:
    """Let no reading go from rows into a part, or back, until the transaction ends."""
    _lock(tx, _PLACES, alone=False)


def _lock(tx: Session, number: int, *, alone: bool) -> ArchiveBoundRow:
    query = select(ArchiveBoundRow).where(ArchiveBoundRow.id == number).with_for_update(read=not alone)
    query = query.execution_options(populate_existing=True)
    row = tx.scalars(query).first()
    if row is None:
        tx.connection().exec_driver_sql("INSERT IGNORE INTO archive_bounds (id) VALUES (%s)", (number,))
        row = tx.scalars(query).one()
    return row


def move_bound(tx: Session, before: date | None) -> None:
    """From now on what was measured before a day is fixed."""
    tx.execute(update(ArchiveBoundRow).where(ArchiveBoundRow.id == _BOUND).values(before=before))


def waits_before(tx: Session, day: date) -> bool:
    """Whether usage of what is measured is still to be made of a day before one."""
    row = StaleUsageRow
    query = select(row.id).where(row.day < day, row.meter_id.not_in(held_meters(tx))).limit(1)
    return tx.scalar(query) is not None


def archive_part(tx: Session, month: Period, before: date, after: int) -> tuple[int, int] | None:
    """Move the readings of some resources after one into a part; gives the last of them, and how many readings.

    None where there are no more. All of it holds at once: at any time each reading is in one place.
    """
    _lock(tx, _PLACES, alone=True)
    fixed = (*_bounds(month), bare_midnight(before))
    connection = tx.connection()
    counts = connection.exec_driver_sql(_RESOURCES, (*fixed, after + 1, _SOME)).fetchall()
    if not counts:
        return None
    first, last, total = counts[0][0], counts[0][0], counts[0][1]
    for resource, count in counts[1:]:
        if total + count > PART:
            break
        last, total = resource, total + count
    values = (*fixed, first, last)
    rows = connection.exec_driver_sql(_READINGS, values).fetchall()
    content = pack(rows)
    connection.exec_driver_sql(_ADD_UP.format(sign=""), values)
    gone = connection.exec_driver_sql(_DELETE, values).rowcount
    if not len(rows) == total == gone:
        raise RuntimeError(f"{total} readings of {month.text}, {len(rows)} archived, {gone} taken out: they changed")
    part = ArchivedPartRow(
        month=month.text, first_resource=first, last_resource=last, readings=total, size=len(content),
        hash=hashlib.sha256(content).digest(), content=content,
    )  # fmt: skip
    tx.add(part)
    tx.flush()
    tx.expunge(part)
    return last, total


def bring_back_part(tx: Session, first: Period | None) -> int:
    """Put the readings of a part back where they were, of the last month first; gives how many, 0 without a part.

    Args:
        first: the first month of which parts are brought back.
    """
    _lock(tx, _PLACES, alone=True)
    row = ArchivedPartRow
    query = select(row).order_by(row.month.desc(), row.id.desc()).limit(1)
    part = tx.scalars(query if first is None else query.where(row.month >= first.text)).first()
    if part is None:
        return 0
    frame = unpack(_checked(part))
    moments = {name: frame[name].dt.strftime("%Y-%m-%d %H:%M:%S") for name in ("start", "end")}
    rows = frame.with_columns(**moments).drop("replaced_by").rows()
    bounds = _bounds(Period.parse(part.month))
    values = (*bounds, bare_midnight(_bound(tx)), part.first_resource, part.last_resource)
    # What stands there already, of other parts that were brought back, is added before it is taken off with the rest.
    tx.connection().exec_driver_sql(_ADD_UP.format(sign=""), values)
    add_readings(tx, [(*row[:8], escaped(row[8]), *row[9:]) for row in rows])
    tx.connection().exec_driver_sql(_ADD_UP.format(sign="-"), values)
    count = part.readings
    tx.execute(delete(row).where(row.id == part.id))
    return count


def _bound(tx: Session) -> date:
    found = archived_before(tx)
    if found is None:
        raise RuntimeError("parts of archived readings without a day before which they are archived")
    return found


def _checked(part: ArchivedPartRow) -> bytes:
    if hashlib.sha256(part.content).digest() != part.hash:
        raise RuntimeError(f"part {part.id} of the archived readings of {part.month} is not as it was written")
    return part.content


def months_to_archive(tx: Session, before: date) -> list[Period]:
    """The months that have readings which are fixed and not archived."""
    statement = f"SELECT DISTINCT YEAR(r.start_at), MONTH(r.start_at) FROM readings r WHERE {_BEFORE} ORDER BY 1, 2"
    rows = tx.connection().exec_driver_sql(statement, (bare_midnight(before), bare_midnight(before))).fetchall()
    return [Period(year, month) for year, month in rows]


def count_to_archive(tx: Session, before: date) -> int:
    """How many readings these are."""
    statement = f"SELECT COUNT(*) FROM readings r WHERE {_BEFORE}"
    return int(tx.connection().exec_driver_sql(statement, (bare_midnight(before), bare_midnight(before))).scalar_one())


def count_archived(tx: Session, first: Period | None = None) -> int:
    """How many readings are archived, from a month on."""
    row = ArchivedPartRow
    query = select(func.coalesce(func.sum(row.readings), 0))
    return int(tx.scalar(query if first is None else query.where(row.month >= first.text)) or 0)


@dataclass(frozen=True, slots=True)
class MonthKept:
    """A month of readings: how many are archived, and how many bytes they take, packed and in rows."""

    month: str
    readings: int
    packed: int
    in_rows: int


_PARTITIONS = """
SELECT SUBSTRING(partition_name, 2), CAST(data_length + index_length AS UNSIGNED) FROM information_schema.partitions
WHERE table_schema = DATABASE() AND table_name = 'readings' AND partition_name <> 'p_later' AND table_rows > 0
"""


def months_kept(tx: Session) -> list[MonthKept]:
    """Months of readings, as the database knows of their sizes."""
    row = ArchivedPartRow
    query = select(row.month, func.sum(row.readings), func.sum(row.size)).group_by(row.month)
    packed = {month: (int(readings), int(size)) for month, readings, size in tx.execute(query)}
    rows: Sequence[Any] = tx.connection().exec_driver_sql(_PARTITIONS).fetchall()
    in_rows = {f"{name[:4]}-{name[4:]}": int(size) for name, size in rows}
    return [MonthKept(month, *packed.get(month, (0, 0)), in_rows.get(month, 0)) for month in sorted(packed | in_rows)]


def _bounds(month: Period) -> tuple[datetime, datetime]:
    return bare_midnight(month.first_day), bare_midnight(month.next().first_day)
