"""Queries of marks, of the readings that marked days are made of, and the usage that is put in their place."""

from collections.abc import Collection, Sequence
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Select, delete, func, insert, literal, select, text, update
from sqlalchemy.orm import Session

from gradumen.core.metering.ownership import NOBODY
from gradumen.core.metering.usage import Span
from gradumen.core.periods import beyond_hour, midnight, zone_of
from gradumen.store.bulk import load_lines
from gradumen.store.columns import Moment
from gradumen.store.metering.tables import OriginRow, ReadingRow, ResourceRow, StaleUsageRow, UsageDayRow
from gradumen.store.organisations.projects import projects_by_path
from gradumen.store.organisations.tables import BillingZoneRow, OrganisationRow, ParentEdgeRow, ProjectRow

_SAMPLES = """
SELECT r.resource_id, r.attribute_set_id, r.origin_id, TIMESTAMPDIFF(SECOND, '1970-01-01', r.start_at),
TIMESTAMPDIFF(SECOND, '1970-01-01', r.end_at), CAST(r.quantity * 1000000 AS DECIMAL(44, 0))
FROM readings r LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE r.resource_id IN ({marks}) AND r.meter_id = %s AND r.start_at > %s AND r.start_at < %s AND r.end_at > %s
AND s.delivery_id IS NULL
"""
_INSERT = (
    "INSERT INTO usage_days (project_number, meter_id, day, resource_id, attribute_set_id, hours, slots, total, "
    "readings) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)"
)
_NEXT = """
SELECT m.id, m.resource_id, m.meter_id, m.day, m.quiet
FROM (SELECT id, resource_id, meter_id, day, quiet FROM stale_usage ORDER BY id LIMIT :ahead) m
JOIN (
    SELECT DISTINCT resource_id, meter_id, day
    FROM (SELECT resource_id, meter_id, day FROM stale_usage ORDER BY id LIMIT :most) o
) oldest USING (resource_id, meter_id, day)
"""
LOOKED_AHEAD = 100_000
"""Marks among which others of the same resource, meter and day are looked for."""
DROPPED = 10_000
"""Marks that are dropped by one statement."""
Mark = tuple[int, int, date]
"""Resource, meter and UTC day."""


def mark_stale(tx: Session, marks: Collection[Mark], at: datetime) -> None:
    """Usage of these is to be made again. Marks are added, never merged: a pass removes those it read."""
    if marks:
        rest = f"{at:%Y-%m-%d %H:%M:%S.%f}\t0"
        lines = [f"{resource}\t{meter}\t{day}\t{rest}" for resource, meter, day in sorted(marks)]
        load_lines(tx, "stale_usage", "resource_id, meter_id, day, marked_at, quiet", lines)


def mark_used(tx: Session, owners: Collection[UUID], day: date, at: datetime) -> int:
    """Usage that organisations have on a UTC day is to be made again; gives how many marks that are."""
    row = UsageDayRow
    numbers = select(ProjectRow.number).where(ProjectRow.organisation_id.in_(owners))
    places = select(row.resource_id, row.meter_id, row.day).distinct()
    return _mark_all(tx, places.where(row.project_number.in_(numbers), row.day == day), at)


def mark_sent(tx: Session, owners: Collection[UUID], first: date, end: date, at: datetime) -> int:
    """Usage of what was sent as organisations' own is to be made again, on UTC days from one up to another."""
    path = func.concat(OrganisationRow.slug, "/", ProjectRow.slug)
    paths = select(path).join(ProjectRow, ProjectRow.organisation_id == OrganisationRow.id)
    origins = select(OriginRow.id).where(OriginRow.owner.in_(paths.where(OrganisationRow.id.in_(owners))))
    row = ReadingRow
    places = select(row.resource_id, row.meter_id, func.date(row.start_at)).distinct()
    inside = (row.start_at >= midnight(first), row.start_at < midnight(end), row.origin_id.in_(origins))
    return _mark_all(tx, places.where(*inside), at)


def _mark_all(tx: Session, places: Select[int, int, Any], at: datetime) -> int:
    """Mark places, resource, meter and day of each, as the database finds them."""
    row = StaleUsageRow
    columns = [row.resource_id, row.meter_id, row.day, row.marked_at, row.quiet]
    found = places.add_columns(literal(at, Moment()), literal(0))
    made = tx.execute(insert(row).from_select(columns, found))
    return int(made.rowcount)  # type: ignore[attr-defined]  # of a statement that changes rows


def next_marks(tx: Session, most: int) -> dict[int, tuple[Mark, bool]]:
    """The oldest marks, by number, with whether they are quiet; and all others of the same, as far as is looked ahead.

    Readings come in the order of time, so each hour marks every resource's day once more: making it once is enough.
    """
    rows = tx.execute(text(_NEXT), {"most": most, "ahead": LOOKED_AHEAD})
    return {number: ((resource, meter, day), bool(quiet)) for number, resource, meter, day, quiet in rows}


def count_marks(tx: Session) -> int:
    """How many marks there are."""
    return tx.scalar(select(func.count()).select_from(StaleUsageRow)) or 0


def is_marked(tx: Session, at: datetime) -> bool:
    """Whether anything is marked of one moment."""
    return tx.scalar(select(StaleUsageRow.id).where(StaleUsageRow.marked_at == at).limit(1)) is not None


def lock_resources(tx: Session, resources: Collection[int]) -> None:
    """Write the rows that every pass over these resources writes, before it reads their readings."""
    tx.execute(
        update(ResourceRow).where(ResourceRow.id.in_(sorted(resources))).values(passes=ResourceRow.passes + 1),
        execution_options={"synchronize_session": False},
    )


def samples(tx: Session, span: Span, longest: timedelta) -> Sequence[tuple[Any, ...]]:
    """The readings that touch a span: resource, attributes, origin, start, end (seconds from 1970), millionths."""
    statement = _SAMPLES.format(marks=", ".join(["%s"] * len(span.resources)))
    begin, end = bare_midnight(span.first), bare_midnight(span.last) + timedelta(days=1)
    values = (*span.resources, span.meter, begin - longest, end, begin)
    return tx.connection().exec_driver_sql(statement, values).fetchall()


def bare_midnight(day: date) -> datetime:
    """The beginning of a UTC day as the driver gives and takes it."""
    return datetime(day.year, day.month, day.day)  # noqa: DTZ001  # as the driver gives and takes times


def origins_of(tx: Session, origins: Collection[int]) -> tuple[dict[int, int], set[int]]:
    """The number of the project that origins name as their owner, where they name one; and those of amounts."""
    row = OriginRow
    rows = tx.execute(select(row.id, row.owner, row.is_amount).where(row.id.in_(origins))).all()
    named = {origin: owner for origin, owner, _ in rows if owner is not None}
    projects = projects_by_path(tx, set(named.values()))
    owners = {origin: projects[path].number for origin, path in named.items() if path in projects}
    return owners, {origin for origin, _, is_amount in rows if is_amount}


def kept_by_quarter(tx: Session) -> set[int]:
    """The numbers of the projects whose usage is looked at in hours that do not begin with those of UTC.

    They are those of organisations with such a zone, and of all that are, were or will be below one.
    """
    names = tx.scalars(select(BillingZoneRow.zone).distinct())
    off = [name for name in names if beyond_hour(zone_of(name))]
    if not off:
        return set()
    newest = set(tx.scalars(select(BillingZoneRow.organisation_id).where(BillingZoneRow.zone.in_(off))))
    found = set(newest)
    while newest:
        below = select(ParentEdgeRow.child_id).where(ParentEdgeRow.parent_id.in_(newest))
        newest = set(tx.scalars(below)) - found
        found |= newest
    # What nobody owns may become anybody's of them, and is looked at in the months of their sellers.
    return {NOBODY, *tx.scalars(select(ProjectRow.number).where(ProjectRow.organisation_id.in_(found)))}


def take_out(tx: Session, span: Span) -> set[tuple[int, date]]:
    """Remove the usage of a span; gives the projects, by number, and days that had any."""
    where = (
        UsageDayRow.resource_id.in_(span.resources),
        UsageDayRow.meter_id == span.meter,
        UsageDayRow.day.between(span.first, span.last),
    )
    rows = tx.execute(select(UsageDayRow.project_number, UsageDayRow.day).where(*where).distinct())
    gone = {(project, day) for project, day in rows}
    if gone:
        tx.execute(delete(UsageDayRow).where(*where), execution_options={"synchronize_session": False})
    return gone


def put_in(tx: Session, rows: Sequence[tuple[Any, ...]]) -> None:
    """Add usage, in the order of the table's columns."""
    if rows:
        tx.connection().exec_driver_sql(_INSERT, list(rows))


def drop_marks(tx: Session, numbers: Collection[int]) -> None:
    """Exactly these marks are done with."""
    some = sorted(numbers)
    for first in range(0, len(some), DROPPED):
        tx.execute(
            delete(StaleUsageRow).where(StaleUsageRow.id.in_(some[first : first + DROPPED])),
            execution_options={"synchronize_session": False},
        )


def organisations_by_number(tx: Session, projects: Collection[int]) -> dict[int, UUID]:
    """The organisations of projects, by the projects' numbers."""
    rows = tx.execute(select(ProjectRow.number, ProjectRow.organisation_id).where(ProjectRow.number.in_(projects)))
    return dict(rows.all())
