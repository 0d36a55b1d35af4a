"""Queries of usage, packed by day. Straight through the driver where there are many rows."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any, Protocol
from uuid import UUID

from sqlalchemy import ColumnElement, Select, and_, bindparam, false, func, or_, select, true
from sqlalchemy.orm import Session, aliased

from gradumen.core.catalogue.services import COMPONENT_OF
from gradumen.store.bulk import LISTED
from gradumen.store.catalogue.tables import MeterRow, ServiceRow
from gradumen.store.metering.tables import AttributeSetRow, FeedRow, ResourceRow, UsageDayRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

_USAGE = (
    "SELECT project_number, meter_id, DATEDIFF(day, '1970-01-01'), resource_id, attribute_set_id, hours, slots "
    "FROM usage_days WHERE project_number IN ({marks}) AND day BETWEEN %s AND %s"
)
NAMED_AT_ONCE = 10_000


# Each rating, and each look at usage, asks these: they are made once.
_METERS = select(MeterRow)
_ATTRIBUTE_SETS = select(AttributeSetRow.id, AttributeSetRow.document)
_SOME_ATTRIBUTE_SETS = _ATTRIBUTE_SETS.where(AttributeSetRow.id.in_(bindparam("numbers", expanding=True)))
_NAMED: ColumnElement[str] = func.json_value(AttributeSetRow.document, f"$.{COMPONENT_OF}")
_COMPOSITES = select(AttributeSetRow.id, _NAMED).where(_NAMED.is_not(None))


def meter_rows(tx: Session) -> dict[int, MeterRow]:
    """Meters by number."""
    return {row.id: row for row in tx.scalars(_METERS)}


def usage_rows(tx: Session, projects: Sequence[int], first: date, last: date) -> Sequence[tuple[Any, ...]]:
    """Packed usage from one UTC day to another: project, meter, day from 1970, resource, attributes, hours, slots."""
    if not projects:
        return []
    statement = _USAGE.format(marks=", ".join(["%s"] * len(projects)))
    return tx.connection().exec_driver_sql(statement, (*projects, first, last)).fetchall()


def first_of_names(tx: Session, numbers: Collection[int]) -> dict[int, tuple[str, int]]:
    """Names of resources by number, each with the smallest number that has it, in whatever feed."""
    found: dict[int, tuple[str, int]] = {}
    ordered, other = sorted(numbers), aliased(ResourceRow)
    first = select(func.min(other.id)).where(other.name == ResourceRow.name).correlate(ResourceRow).scalar_subquery()
    for start in range(0, len(ordered), NAMED_AT_ONCE):
        some = ordered[start : start + NAMED_AT_ONCE]
        rows = tx.execute(select(ResourceRow.id, ResourceRow.name, first).where(ResourceRow.id.in_(some)))
        found.update({number: (name, least) for number, name, least in rows})
    return found


def resource_names(tx: Session, numbers: Collection[int]) -> dict[int, str]:
    """Names of resources by number."""
    names: dict[int, str] = {}
    ordered = sorted(numbers)
    for first in range(0, len(ordered), NAMED_AT_ONCE):
        some = ordered[first : first + NAMED_AT_ONCE]
        rows = tx.execute(select(ResourceRow.id, ResourceRow.name).where(ResourceRow.id.in_(some)))
        names.update(rows.all())
    return names


def attribute_sets(tx: Session, numbers: Collection[int] | None = None) -> dict[int, dict[str, str]]:
    """Attribute sets by number, all or some."""
    if numbers is None:
        return dict(tx.execute(_ATTRIBUTE_SETS).all())
    return dict(tx.execute(_SOME_ATTRIBUTE_SETS, {"numbers": [*numbers]}).all())


def composites_named(tx: Session) -> dict[int, str]:
    """The composites that attribute sets name, by number of the set."""
    return dict(tx.execute(_COMPOSITES).all())


def meters_by_seller(tx: Session) -> dict[UUID, list[int]]:
    """Numbers of meters by the seller whose service they belong to."""
    numbers: dict[UUID, list[int]] = {}
    for number, seller in tx.execute(
        select(MeterRow.id, ServiceRow.organisation_id).join(ServiceRow, ServiceRow.id == MeterRow.service_id)
    ):
        numbers.setdefault(seller, []).append(number)
    return numbers


REGIONS = ("region", "site")
"""Attributes that say where something is, the first that is there."""
ATTRIBUTES = "attributes"
COLUMNS: Mapping[str, Any] = {
    "resource": ResourceRow.name,
    "project": UsageDayRow.project_number,
    "organisation": ProjectRow.organisation_id,
    "feed": ResourceRow.feed_id,
    ATTRIBUTES: UsageDayRow.attribute_set_id,
    "day": UsageDayRow.day,
}
"""What usage can be summed by beside meter; days are those of UTC."""


_RANGES = 16_000
"""Places that a statement asks for: of many more the database reads all."""


class Which(Protocol):
    """Which usage is looked at."""

    def of(self, query: Select[Any]) -> Select[Any]:
        """A query of usage, beside the rows of its resources, for what is wanted."""

    def places(self, tx: Session, days: int) -> Iterable[Sequence[ColumnElement[bool]]]:
        """Where all of it is that is of so many days, a part after another, so that nothing else is read.

        Where resources lead to it, that is said by `of`.
        """
        return [()]


@dataclass(frozen=True, slots=True)
class Wanted(Which):
    """Which usage: of organisations their meters, of one project's slug, of some meters, one resource; None is all."""

    seen: Collection[tuple[Collection[UUID] | None, Collection[int]]]
    project: str | None
    meters: Collection[int] | None
    resource: str | None = None

    def of(self, query: Select[Any]) -> Select[Any]:
        """A query of usage, for what is wanted."""
        visible: list[ColumnElement[bool]] = [
            and_(
                true() if owners is None else ProjectRow.organisation_id.in_(owners), UsageDayRow.meter_id.in_(numbers)
            )
            for owners, numbers in self.seen
        ]
        query = query.join(ProjectRow, ProjectRow.number == UsageDayRow.project_number).where(or_(false(), *visible))
        # Looked up for each row: only where something of it is asked.
        asked = {ResourceRow.name.key, ResourceRow.feed_id.key} & set(query.selected_columns.keys())
        if asked or self.resource is not None:
            query = query.join(ResourceRow, ResourceRow.id == UsageDayRow.resource_id)
        if self.project is not None:
            query = query.where(ProjectRow.slug == self.project)
        if self.resource is not None:
            query = query.where(ResourceRow.name == self.resource)
        return query if self.meters is None else query.where(UsageDayRow.meter_id.in_(self.meters))

    def places(self, tx: Session, days: int) -> Iterable[Sequence[ColumnElement[bool]]]:
        """Lists of projects and meters, by which usage is clustered; of one resource it is found by that."""
        if self.resource is not None:
            return [()]
        meters = {number for _, numbers in self.seen for number in numbers}
        if self.meters is not None:
            meters &= set(self.meters)
        query = select(ProjectRow.number).order_by(ProjectRow.number)
        if all(owners is not None for owners, _ in self.seen):
            owning = {owner for owners, _ in self.seen for owner in owners or ()}
            query = query.where(ProjectRow.organisation_id.in_(owning))
        if self.project is not None:
            query = query.where(ProjectRow.slug == self.project)
        projects = list(tx.scalars(query)) if meters else []
        some = max(1, min(LISTED, _RANGES // max(1, len(meters) * days)))
        parts = (projects[at : at + some] for at in range(0, len(projects), some))
        return [(UsageDayRow.project_number.in_(part), UsageDayRow.meter_id.in_(sorted(meters))) for part in parts]


def sums_of_days(tx: Session, wanted: Which, first: date, last: date, by: Sequence[str]) -> Sequence[Any]:
    """Usage of whole UTC days, from one to another, by meter and columns: rows of meter, quantity, columns."""
    columns = [COLUMNS[name] for name in by]
    query = wanted.of(select(UsageDayRow.meter_id, func.sum(UsageDayRow.total), *columns))
    query = query.where(UsageDayRow.day.between(first, last)).group_by(UsageDayRow.meter_id, *columns)
    return tx.execute(query).all()


def packed_days(tx: Session, wanted: Which, days: Collection[date], by: Sequence[str]) -> Sequence[Any]:
    """Packed usage of some UTC days: rows of meter, day, hours, slots, columns."""
    if not days:
        return []
    columns = [COLUMNS[name] for name in by]
    query = wanted.of(select(UsageDayRow.meter_id, UsageDayRow.day, UsageDayRow.hours, UsageDayRow.slots, *columns))
    query = query.where(UsageDayRow.day.in_(days))
    return [row for place in wanted.places(tx, len(days)) for row in tx.execute(query.where(*place))]


def newest_days(tx: Session, wanted: Wanted, up_to: date) -> set[date]:
    """The newest day of each meter that has wanted usage, of the week up to a day."""
    week = UsageDayRow.day.between(up_to - timedelta(days=7), up_to)
    query = wanted.of(select(func.max(UsageDayRow.day))).where(week).group_by(UsageDayRow.meter_id)
    return set(tx.scalars(query))


Named = tuple[str, str]
"""What something is called in files, and by people."""


def last_used(tx: Session, organisation: UUID, *, since: date) -> date | None:
    """The last day, not before ``since``, on which something of an organisation's was used; None is on no day."""
    own = select(ProjectRow.number).where(ProjectRow.organisation_id == organisation)
    day = UsageDayRow.day
    query = select(func.max(day)).where(
        UsageDayRow.project_number.in_(own), day >= since, UsageDayRow.total > Decimal(0)
    )
    return tx.scalars(query).first()


def feed_names(tx: Session) -> dict[int, Named]:
    """Feeds by number, with path (organisation/feed) and name."""
    rows = tx.execute(
        select(FeedRow.id, FeedRow.slug, FeedRow.name, OrganisationRow.slug).join(
            OrganisationRow, OrganisationRow.id == FeedRow.organisation_id
        )
    )
    return {number: (f"{seller}/{slug}", name) for number, slug, name, seller in rows}


def named_owners(tx: Session, owners: Collection[UUID]) -> tuple[dict[UUID, Named], dict[int, Named]]:
    """Organisations by id, with slug and name; their projects by number, with path (organisation/project) and name."""
    rows = tx.execute(
        select(
            ProjectRow.number,
            ProjectRow.slug,
            ProjectRow.name,
            OrganisationRow.id,
            OrganisationRow.slug,
            OrganisationRow.name,
        )
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(OrganisationRow.id.in_(owners))
    )
    organisations: dict[UUID, Named] = {}
    projects: dict[int, Named] = {}
    for number, project, project_name, organisation, slug, name in rows:
        projects[number] = f"{slug}/{project}", f"{name}: {project_name}"
        organisations[organisation] = slug, name
    return organisations, projects
