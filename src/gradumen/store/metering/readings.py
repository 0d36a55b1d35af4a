"""Queries of readings, their keys, and the small numbers that stand in them. In bulk, straight through the driver."""

from collections.abc import Collection, Iterable, Mapping
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, and_, bindparam, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, aliased

from gradumen.store.bulk import load_lines
from gradumen.store.metering.tables import (
    AttributeSetRow,
    OriginRow,
    ReadingKeyRow,
    ReadingRow,
    ResourceRow,
    SupersededReadingRow,
)

_KEYS = (
    "@key, @content, sequence, delivery_id, position, resource_id, meter_id, start_at) "
    "SET `key` = UNHEX(@key), content = UNHEX(@content"
)
_KEY = "\t".join(["%s"] * 8)
_READINGS = (
    "resource_id, meter_id, start_at, delivery_id, position, end_at, origin_id, attribute_set_id, event_id, sequence, "
    "quantity"
)
_READING = "\t".join(["%s"] * 11)


class Origin(NamedTuple):
    """Source, account and owner as sent, and what it was sent as (`gradumen.store.metering.tables.OriginRow`)."""

    source: str
    account: str | None
    owner: str | None
    sent_meter: str | None = None
    sent_unit: str | None = None
    sent_set_id: int | None = None
    factor: str | None = None
    is_amount: bool = False


def add_keys(tx: Session, rows: Iterable[tuple[Any, ...]]) -> int:
    """Write keys, in the order of the table's columns, hashes in hexadecimal; gives how many were new.

    Rivals meet here.
    """
    return load_lines(tx, "reading_keys", _KEYS, [_KEY % row for row in rows], known=True)


def lock_keys(tx: Session, keys: Collection[bytes]) -> dict[bytes, ReadingKeyRow]:
    """What is known under keys, for a decision."""
    rows = tx.scalars(select(ReadingKeyRow).where(ReadingKeyRow.key.in_(keys)).with_for_update())
    return {row.key: row for row in rows}


def contents_of(tx: Session, keys: Collection[bytes]) -> dict[bytes, bytes]:
    """What is known under keys, as the hash of what it says."""
    if not keys:
        return {}
    statement = f"SELECT `key`, content FROM reading_keys WHERE `key` IN ({', '.join(['%s'] * len(keys))})"
    rows = tx.connection().exec_driver_sql(statement, tuple(keys)).fetchall()
    return {bytes(key): bytes(content) for key, content in rows}


def find_reading(tx: Session, key: ReadingKeyRow) -> ReadingRow | None:
    """The reading that stands under a key; None where it is no longer kept."""
    return tx.get(ReadingRow, (key.resource_id, key.meter_id, key.start_at, key.delivery_id, key.position))


def add_readings(tx: Session, rows: Iterable[tuple[Any, ...]]) -> None:
    """Write readings, in the order of the table's columns, the event's id `escaped`."""
    load_lines(tx, "readings", _READINGS, [_READING % row for row in rows])


def number_attribute_sets(tx: Session, documents: Mapping[bytes, Mapping[str, str]]) -> dict[bytes, int]:
    """Numbers of attribute sets by their hashes; new ones are added."""
    rows = {digest: {"hash": digest, "document": dict(document)} for digest, document in documents.items()}
    return _numbered(tx, AttributeSetRow, AttributeSetRow.hash, rows)


def number_origins(tx: Session, origins: Mapping[bytes, Origin]) -> dict[bytes, int]:
    """Numbers of origins by their hashes; new ones are added."""
    rows = {digest: {"hash": digest, **origin._asdict()} for digest, origin in origins.items()}
    return _numbered(tx, OriginRow, OriginRow.hash, rows)


def number_resources(tx: Session, feed: int, names: Collection[str]) -> dict[str, int]:
    """Numbers of a feed's resources by name; new ones are added."""
    rows = {name: {"feed_id": feed, "name": name, "passes": 0} for name in names}
    return _numbered(tx, ResourceRow, ResourceRow.name, rows, ResourceRow.feed_id == feed)


NEWEST = 2**63 - 1
"""After every delivery."""


def stood(
    newest: int = NEWEST, reading: Any = ReadingRow, superseded: Any = SupersededReadingRow
) -> tuple[ColumnElement[bool], ...]:
    """What had come by a delivery and was not replaced by then, of readings beside what replaces them."""
    return reading.delivery_id <= newest, superseded.delivery_id.is_(None) | (superseded.by_delivery_id > newest)


def said_since(moment: datetime, newest: int = NEWEST) -> ColumnElement[bool]:
    """Of what holds until it changes: all that was said of a resource since the last at or before a moment.

    Args:
        newest: as it stood after this delivery.
    """
    earlier, superseded = aliased(ReadingRow), aliased(SupersededReadingRow)
    place = and_(superseded.delivery_id == earlier.delivery_id, superseded.position == earlier.position)
    last = select(func.max(earlier.start_at)).outerjoin(superseded, place).correlate(ReadingRow)
    same = (earlier.resource_id == ReadingRow.resource_id, earlier.meter_id == ReadingRow.meter_id)
    last = last.where(*same, earlier.start_at <= moment, *stood(newest, earlier, superseded))
    return ReadingRow.start_at >= func.coalesce(last.scalar_subquery(), moment)


def _numbered(
    tx: Session, table: type[Any], name: Any, rows: Mapping[Any, Mapping[str, Any]], *where: ColumnElement[bool]
) -> dict[Any, int]:
    """Numbers of rows by their names; new ones are added in the names' order, so that rivals do not lock crosswise."""
    columns = table.__table__.c
    query = select(columns[name.key], columns.id).where(
        columns[name.key].in_(bindparam("names", expanding=True)), *where
    )

    def numbers(names: Collection[Any]) -> dict[Any, int]:
        return dict(tx.execute(query, {"names": list(names)}).all())

    known = numbers(rows)
    missing = sorted(set(rows) - set(known))
    if missing:
        tx.execute(insert(table.__table__).prefix_with("IGNORE"), [rows[each] for each in missing])
        known |= numbers(missing)
    return known
