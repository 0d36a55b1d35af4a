"""Queries of usage, and of what makes it stale. Straight through the driver where there are many rows."""

from collections.abc import Collection, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, and_, delete, false, func, or_, select, tuple_
from sqlalchemy.orm import Session

from gradumen.store.catalogue.tables import MeterRow, ServiceRow
from gradumen.store.metering.tables import AttributeSetRow, StaleUsageRow, UsageHourRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

Hour = tuple[UUID, int, datetime]
"""Project, meter and hour."""
_SAMPLES = """
SELECT r.resource, r.attribute_set_id, r.start_at, r.end_at, CAST(r.quantity * 1000000 AS DECIMAL(44, 0))
FROM readings r LEFT JOIN superseded_readings s
ON s.delivery_id = r.delivery_id AND s.source = r.source AND s.event_id = r.event_id
WHERE r.project_id = %s AND r.meter_id = %s AND r.start_at > %s AND r.start_at < %s AND r.end_at > %s
AND s.delivery_id IS NULL
"""
_INSERT = """
INSERT INTO usage_hours (project_id, meter_id, hour, resource, attribute_set_id, quantity, readings)
VALUES (%s, %s, %s, %s, %s, %s, %s)
"""
_USAGE = (
    "SELECT project_id, meter_id, TIMESTAMPDIFF(HOUR, '1970-01-01', hour), resource, attribute_set_id, "
    "CAST(quantity * 1000000 AS DECIMAL(44, 0)) FROM usage_hours "
    "WHERE project_id IN ({marks}) AND hour >= %s AND hour < %s"
)


def mark_stale(tx: Session, hours: Collection[Hour]) -> None:
    """Usage of these hours is to be made again."""
    if hours:
        rows = [(str(project), meter, hour.replace(tzinfo=None)) for project, meter, hour in sorted(hours)]
        tx.connection().exec_driver_sql(
            "INSERT IGNORE INTO stale_usage (project_id, meter_id, hour) VALUES (%s, %s, %s)", rows
        )


def lock_stale(tx: Session, most: int) -> list[Hour]:
    """Some hours whose usage is to be made again, held until the end of the transaction."""
    columns = (StaleUsageRow.project_id, StaleUsageRow.meter_id, StaleUsageRow.hour)
    rows = tx.execute(select(*columns).order_by(*columns).limit(most).with_for_update())
    return [(project, meter, hour) for project, meter, hour in rows]


def meter_rows(tx: Session) -> dict[int, MeterRow]:
    """Meters by number."""
    return {row.id: row for row in tx.scalars(select(MeterRow))}


def samples(
    tx: Session, project: UUID, meter: int, first: datetime, last: datetime, longest: timedelta
) -> Sequence[tuple[Any, ...]]:
    """The readings that touch the hours from one to another: resource, attributes, start, end (UTC), millionths."""
    begin, end = first.replace(tzinfo=None), last.replace(tzinfo=None)
    values = (str(project), meter, begin - longest, end + timedelta(hours=1), begin)
    return tx.connection().exec_driver_sql(_SAMPLES, values).fetchall()


def replace_usage(
    tx: Session, project: UUID, meter: int, hours: Collection[datetime], rows: Sequence[tuple[Any, ...]]
) -> None:
    """Usage of hours in the place of what it was (hour, resource, attributes, quantity, readings); no longer stale."""
    for table in (UsageHourRow, StaleUsageRow):
        tx.execute(delete(table).where(table.project_id == project, table.meter_id == meter, table.hour.in_(hours)))
    if rows:
        tx.connection().exec_driver_sql(_INSERT, [(str(project), meter, *row) for row in rows])


def usage_rows(tx: Session, projects: Sequence[str], start: datetime, end: datetime) -> Sequence[tuple[Any, ...]]:
    """Hourly usage: project, meter, hour as a number, resource, attributes, millionths."""
    if not projects:
        return []
    statement = _USAGE.format(marks=", ".join(["%s"] * len(projects)))
    bounds = (moment.astimezone(UTC).replace(tzinfo=None) for moment in (start, end))
    return tx.connection().exec_driver_sql(statement, (*projects, *bounds)).fetchall()


def attribute_sets(tx: Session, numbers: Collection[int] | None = None) -> dict[int, dict[str, str]]:
    """Attribute sets by number, all or some."""
    query = select(AttributeSetRow)
    rows = tx.scalars(query if numbers is None else query.where(AttributeSetRow.id.in_(numbers)))
    return {row.id: row.document for row in rows}


def meters_by_seller(tx: Session) -> dict[UUID, list[int]]:
    """Numbers of meters by the seller whose service they belong to."""
    found: dict[UUID, list[int]] = {}
    for number, seller in tx.execute(
        select(MeterRow.id, ServiceRow.organisation_id).join(ServiceRow, ServiceRow.id == MeterRow.service_id)
    ):
        found.setdefault(seller, []).append(number)
    return found


COLUMNS: Mapping[str, Any] = {
    "resource": UsageHourRow.resource,
    "project": UsageHourRow.project_id,
    "organisation": ProjectRow.organisation_id,
    "day": UsageHourRow.hour,
}
"""What usage can be summed by beside the meter; ``day`` comes as the hours of it."""


def sums_of_usage(
    tx: Session,
    seen: Collection[tuple[Collection[UUID], Collection[int]]],
    start: datetime,
    end: datetime,
    by: Sequence[str],
    *,
    project: str | None,
    meters: Collection[int] | None,
) -> Sequence[Any]:
    """Usage summed by meter and columns: rows of meter, quantity and the values of ``by``.

    Args:
        seen: of which organisations which meters count.
    """
    visible: list[ColumnElement[bool]] = [
        and_(ProjectRow.organisation_id.in_(owners), UsageHourRow.meter_id.in_(numbers)) for owners, numbers in seen
    ]
    columns = [COLUMNS[name] for name in by]
    query = (
        select(UsageHourRow.meter_id, func.sum(UsageHourRow.quantity), *columns)
        .join(ProjectRow, ProjectRow.id == UsageHourRow.project_id)
        .where(or_(false(), *visible), UsageHourRow.hour >= start, UsageHourRow.hour < end)
        .group_by(UsageHourRow.meter_id, *columns)
    )
    if project is not None:
        query = query.where(ProjectRow.slug == project)
    if meters is not None:
        query = query.where(UsageHourRow.meter_id.in_(meters))
    return tx.execute(query).all()


def paths_of(tx: Session, owners: Collection[UUID]) -> dict[UUID, str]:
    """Slugs of organisations, and paths (organisation/project) of their projects, by id."""
    rows = tx.execute(
        select(ProjectRow.id, ProjectRow.slug, OrganisationRow.id, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(tuple_(ProjectRow.organisation_id).in_([(owner,) for owner in owners]))
    )
    names: dict[UUID, str] = {}
    for project_id, project, organisation_id, organisation in rows:
        names[project_id] = f"{organisation}/{project}"
        names[organisation_id] = organisation
    return names
