"""Queries of readings and their keys. In bulk, straight through the driver."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select, tuple_
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.store.metering.tables import AttributeSetRow, ReadingKeyRow, ReadingRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

_KEYS = "INSERT IGNORE INTO reading_keys (`key`, content, sequence, delivery_id, start_at) VALUES (%s, %s, %s, %s, %s)"
_READINGS = (
    "INSERT INTO readings (start_at, end_at, feed_id, delivery_id, source, event_id, sequence, project_id, "
    "account, resource, meter_id, attribute_set_id, quantity) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)"
)


def projects_by_path(tx: Session, paths: Collection[tuple[str, ...]]) -> list[tuple[str, str, UUID, UUID]]:
    """Organisation and project of paths, as slugs, with the ids of project and organisation."""
    rows = tx.execute(
        select(OrganisationRow.slug, ProjectRow.slug, ProjectRow.id, OrganisationRow.id)
        .join(ProjectRow, ProjectRow.organisation_id == OrganisationRow.id)
        .where(tuple_(OrganisationRow.slug, ProjectRow.slug).in_(paths))
    )
    return [(organisation, project, id, owner) for organisation, project, id, owner in rows]


def add_keys(tx: Session, rows: Sequence[tuple[Any, ...]]) -> int:
    """Write keys (key, content, sequence, delivery, start); gives how many were new. Rivals meet here."""
    return int(tx.connection().exec_driver_sql(_KEYS, list(rows)).rowcount)


def lock_keys(tx: Session, keys: Collection[bytes]) -> dict[bytes, ReadingKeyRow]:
    """What is known under keys, for a decision."""
    rows = tx.scalars(select(ReadingKeyRow).where(ReadingKeyRow.key.in_(keys)).with_for_update())
    return {row.key: row for row in rows}


def find_reading(
    tx: Session, *, delivery: int, start: datetime, source: str, event: str
) -> tuple[UUID | None, int, datetime, datetime] | None:
    """Project, meter, start and end of a reading."""
    found = tx.execute(
        select(ReadingRow.project_id, ReadingRow.meter_id, ReadingRow.start_at, ReadingRow.end_at).where(
            ReadingRow.delivery_id == delivery,
            ReadingRow.start_at == start,
            ReadingRow.source == source,
            ReadingRow.event_id == event,
        )
    ).first()
    return None if found is None else (found.project_id, found.meter_id, found.start_at, found.end_at)


def add_readings(tx: Session, rows: Sequence[tuple[Any, ...]]) -> None:
    """Write readings, in the order of the table's columns."""
    tx.connection().exec_driver_sql(_READINGS, list(rows))


def number_attribute_sets(tx: Session, documents: Mapping[bytes, Mapping[str, str]]) -> dict[bytes, int]:
    """Numbers of attribute sets by their hashes; new ones are added."""
    query = select(AttributeSetRow.hash, AttributeSetRow.id).where(AttributeSetRow.hash.in_(documents))
    found = {row.hash: row.id for row in tx.execute(query)}
    missing = sorted(digest for digest in documents if digest not in found)
    if missing:
        values = [{"hash": digest, "document": dict(documents[digest])} for digest in missing]
        tx.execute(insert(AttributeSetRow).prefix_with("IGNORE"), values)
        found = {row.hash: row.id for row in tx.execute(query)}
    return found
