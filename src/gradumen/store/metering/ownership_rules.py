"""Rules that say whose usage is that names no owner, and the readings that they are about."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.exact import add
from gradumen.core.metering.feed_precedences import COMPARED
from gradumen.core.metering.ownership import NOBODY, WHOLE_SHARES
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.archived_readings import archived_groups, has_archived
from gradumen.store.metering.ownership_rows import (
    OwnershipRuleListRow,
    OwnershipRuleRow,
    ReplacedRulesRow,
    as_kept,
    replaced_after,
)
from gradumen.store.metering.stale_usage import Mark
from gradumen.store.metering.tables import FeedRow, OriginRow, ResourceRow, UsageDayRow
from gradumen.store.organisations.projects import projects_by_path
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, moves_between


@dataclass(frozen=True, slots=True)
class Stored:
    """A rule with the projects that it names: each one's number, path, organisation and share; or those of a table.

    Of whom a remainder is comes last among the owners.
    """

    row: OwnershipRuleRow
    owners: tuple["Owner", ...]
    table: Mapping[str, "Owner"] | None = None


@dataclass(frozen=True, slots=True)
class Owner:
    """A project that a rule names, with its share as it was written; of one alone that is 1."""

    number: int
    path: str
    organisation: UUID
    share: Decimal


def rules_of(tx: Session, sellers: Collection[UUID], replaced: int | None = None) -> dict[UUID, list[Stored]]:
    """The rules of sellers, in their order.

    Args:
        replaced: as they were when the last that had been replaced were those of this number; see `last_replaced`.
    """
    row = OwnershipRuleRow
    rules = list(tx.scalars(select(row).where(row.organisation_id.in_(sellers)).order_by(row.position)))
    if replaced is not None:
        then = replaced_after(tx, sellers, replaced)
        rules = [each for each in rules if each.organisation_id not in then]
        rules += [each for of_seller in then.values() for each in of_seller]
    named = [_named(rule) for rule in rules]
    rows = tx.execute(
        select(ProjectRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(ProjectRow.id.in_({project for each in named for project, _ in each}))
    )
    known = {project.id: (project.number, f"{slug}/{project.slug}", project.organisation_id) for project, slug in rows}
    found: dict[UUID, list[Stored]] = {each: [] for each in sellers}
    for rule, each in zip(rules, named, strict=True):
        owners = tuple(Owner(*known[project], share) for project, share in each)
        told = (rule.look_up or {}).get("owners")
        # A row for each value, in the order of the values.
        table = None if told is None else dict(zip(told, owners, strict=True))
        found[rule.organisation_id].append(Stored(rule, () if rule.look_up else owners, table))
    return found


def owner_at(tx: Session, path: str) -> Owner | None:
    """The project of a path ``organisation/project``, all of which is its; None where there is none."""
    found = projects_by_path(tx, {path}).get(path)
    return None if found is None else Owner(found.number, path, found.organisation_id, Decimal(1))


_NAMED = """
INSERT INTO stale_usage (resource_id, meter_id, day, marked_at, quiet)
SELECT DISTINCT u.resource_id, u.meter_id, u.day, %s, 0
FROM usage_days u JOIN attribute_sets a ON a.id = u.attribute_set_id JOIN resources z ON z.id = u.resource_id
JOIN readings r ON r.resource_id = u.resource_id AND r.meter_id = u.meter_id AND r.start_at < u.day + INTERVAL 1 DAY
AND r.start_at > u.day - INTERVAL 1 DAY JOIN origins o ON o.id = r.origin_id
LEFT JOIN attribute_sets m ON m.id = o.sent_set_id
WHERE u.project_number = {nobody} AND o.owner IS NULL
AND (JSON_SEARCH(a.document, 'one', %s) IS NOT NULL OR JSON_SEARCH(m.document, 'one', %s) IS NOT NULL
OR z.name = %s OR %s IN (o.account, o.source))
"""


def mark_named(tx: Session, path: str, at: datetime) -> None:
    """What is nobody's and names a project that there is from now on is looked at anew, where rules go by that."""
    row = OwnershipRuleRow
    told = tx.scalars(select(row.look_up).where(row.look_up.is_not(None)))
    if any(each is not None and each["owners"] is None for each in told):
        values = (f"{at:%Y-%m-%d %H:%M:%S.%f}", *[path] * 4)
        tx.connection().exec_driver_sql(_NAMED.format(nobody=NOBODY), values)


def projects_below(tx: Session, organisations: Collection[UUID]) -> list[int]:
    """The numbers of the projects of organisations."""
    return list(tx.scalars(select(ProjectRow.number).where(ProjectRow.organisation_id.in_(organisations))))


def _named(rule: OwnershipRuleRow) -> list[tuple[UUID, Decimal]]:
    """The projects that a rule names, with their shares."""
    if rule.look_up is not None:
        return [(UUID(project), Decimal(1)) for project in (rule.look_up["owners"] or {}).values()]
    if rule.by_usage is not None:
        named = [UUID(project) for project in rule.by_usage["among"]]
        return [(project, Decimal(1)) for project in (*named, *([rule.remainder] if rule.remainder else []))]
    if rule.shares is None:
        return [] if rule.project_id is None else [(rule.project_id, Decimal(1))]
    found = [(UUID(project), Decimal(share)) for project, share in rule.shares]
    left = WHOLE_SHARES - add([share for _, share in found])
    return [*found, *([(rule.remainder, left)] if rule.remainder else [])]


def lock_version(tx: Session, seller: UUID) -> int:
    """Write the row that every change of a seller's rules writes; gives the version before."""
    row = OwnershipRuleListRow
    tx.execute(insert(row).values(organisation_id=seller, version=0).prefix_with("IGNORE"))
    return tx.scalars(select(row).where(row.organisation_id == seller).with_for_update()).one().version


def version_of(tx: Session, seller: UUID) -> int:
    """How often a seller's rules were changed."""
    row = tx.get(OwnershipRuleListRow, seller)
    return row.version if row else 0


def replace_rules(tx: Session, seller: UUID, rows: Sequence[OwnershipRuleRow]) -> None:
    """Put these in the place of a seller's rules, which are kept as they were."""
    before = tx.scalars(
        select(OwnershipRuleRow).where(OwnershipRuleRow.organisation_id == seller).order_by(OwnershipRuleRow.position)
    )
    tx.add(ReplacedRulesRow(organisation_id=seller, rules=[as_kept(each) for each in before]))
    tx.execute(delete(OwnershipRuleRow).where(OwnershipRuleRow.organisation_id == seller))
    tx.flush()
    tx.add_all(rows)
    tx.get_one(OwnershipRuleListRow, seller).version += 1
    tx.flush()


@dataclass(frozen=True, slots=True)
class FeedOf:
    """The feed of a resource, and what the resource is called."""

    feed: str
    seller: UUID
    resource: str


def feeds_of_resources(tx: Session, resources: Collection[int]) -> dict[int, FeedOf]:
    """The feeds of resources, by the resources' numbers."""
    rows = tx.execute(
        select(ResourceRow.id, ResourceRow.name, FeedRow.slug, FeedRow.organisation_id)
        .join(FeedRow, FeedRow.id == ResourceRow.feed_id)
        .where(ResourceRow.id.in_(resources))
    )
    return {number: FeedOf(slug, seller, name) for number, name, slug, seller in rows}


def said_by(tx: Session, origins: Collection[int]) -> dict[int, tuple[str, str | None, int | None]]:
    """Source, account and what was sent beside attributes of the meter, of origins that name no owner, by number."""
    query = select(OriginRow.id, OriginRow.source, OriginRow.account, OriginRow.sent_set_id)
    rows = tx.execute(query.where(OriginRow.owner.is_(None), OriginRow.id.in_(origins)))
    return {number: (source, account, sent) for number, source, account, sent in rows}


Place = tuple[int, int, int, int, date]
"""Where usage stands: project, resource, meter, attributes and day."""
_ALIKE = """
SELECT r.resource_id, r.meter_id, r.origin_id, r.attribute_set_id, DATE(r.start_at),
DATE(r.end_at - INTERVAL 1 SECOND), COUNT(*), MIN(r.start_at)
FROM readings r {joined}JOIN origins o ON o.id = r.origin_id
LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE {of} AND r.start_at >= %s AND r.start_at < %s AND o.owner IS NULL AND s.delivery_id IS NULL AND r.meter_id <> 0
"""
# Of all that came in only resources are looked into that have usage of nobody's, or of whom a rule names.
_OF = (
    "AND r.resource_id IN (SELECT DISTINCT u.resource_id FROM usage_days u "
    "WHERE u.project_number IN ({projects}) AND u.day >= %s AND u.day < %s) "
)
_GROUPS = (
    _ALIKE.format(joined="JOIN resources z ON z.id = r.resource_id ", of="z.feed_id IN ({feeds})")
    + _OF
    + "GROUP BY 1, 2, 3, 4, 5, 6, {era} ORDER BY 1, 2, 5, 3, 4, 6 LIMIT %s"
)
_OF_RESOURCES = _ALIKE.format(joined="", of="r.resource_id IN ({resources})") + "GROUP BY 1, 2, 3, 4, 5, 6, {era}"
_COUNTED = f"""
SELECT z.feed_id, SUM(u.readings), SUM(IF(u.project_number = {NOBODY}, u.readings, 0)),
SUM(IF(u.project_number = {COMPARED}, u.readings, 0)) FROM usage_days u
JOIN resources z ON z.id = u.resource_id
WHERE z.feed_id IN ({{feeds}}) AND u.day >= %s AND u.day < %s GROUP BY z.feed_id
"""
_TOTALS = """
SELECT u.project_number, u.resource_id, u.meter_id, u.attribute_set_id, u.day, u.total FROM usage_days u
JOIN resources z ON z.id = u.resource_id
WHERE z.feed_id IN ({feeds}) AND u.day >= %s AND u.day <= %s AND u.project_number IN ({projects})
"""


@dataclass(frozen=True, slots=True)
class Group:
    """Readings alike in all that a rule can look at; started on one day, none moved in between, and ended on one."""

    resource: int
    meter: int
    origin: int
    attributes: int
    day: date
    last: date
    readings: int
    at: datetime
    """When the first of them started."""


def groups_naming_nobody(
    tx: Session, feeds: Sequence[int], first: datetime, end: datetime, projects: Sequence[int], most: int
) -> list[Group]:
    """The readings of feeds that name no owner, started in a span of time, in groups; ``most`` at most.

    Of resources whose usage is of some projects; 0 is nobody's.
    """
    hold_places(tx)
    days = first.date(), end.date() + timedelta(days=1)
    statement = _GROUPS.replace("{era}", _era(tx, first, end))
    asked = _asked(tx, statement, feeds, first, end, *projects, *days, most, projects=projects)
    found = [_group(row) for row in asked]
    if has_archived(tx, first, end):
        usage = UsageDayRow
        having = select(usage.resource_id).distinct().join(ResourceRow, ResourceRow.id == usage.resource_id)
        having = having.where(ResourceRow.feed_id.in_(feeds), usage.project_number.in_(projects))
        having = having.where(usage.day >= days[0], usage.day < days[1])
        resources = tx.scalars(having).all()
        found += [Group(*each) for each in archived_groups(tx, first, end, resources, naming_nobody=True)]
        found.sort(key=lambda each: (each.resource, each.meter, each.day, each.origin, each.attributes, each.last))
    return found[:most]


def next_resources(tx: Session, feeds: Sequence[int], after: int, most: int) -> list[int]:
    """The resources of feeds, in their order, after one."""
    row = ResourceRow
    query = select(row.id).where(row.feed_id.in_(feeds), row.id > after).order_by(row.id).limit(most)
    return list(tx.scalars(query))


def groups_of_resources(tx: Session, resources: Sequence[int], first: datetime, end: datetime) -> list[Group]:
    """The readings of resources that stand in rows and name no owner, started in a span of time, in groups."""
    marks = ", ".join(["%s"] * len(resources))
    statement = _OF_RESOURCES.format(resources=marks, era=_era(tx, first, end))
    rows = tx.connection().exec_driver_sql(statement, (*resources, _plain(first), _plain(end))).fetchall()
    return [_group(row) for row in rows]


def _group(row: Sequence[Any]) -> Group:
    resource, meter, origin, attributes, day, last, readings, at = row
    return Group(resource, meter, origin, attributes, day, last, readings, at.replace(tzinfo=UTC))


def _era(tx: Session, first: datetime, end: datetime) -> str:
    """How many of those who move in a span of time had moved when a reading started."""
    moments = moves_between(tx, first, end)
    return " + ".join(f"(r.start_at >= '{each:%Y-%m-%d %H:%M:%S}')" for each in moments) or "NULL"


def users_by_day(tx: Session, resources: Sequence[int], first: date, last: date) -> dict[Mark, set[int]]:
    """The projects, by number, that have usage of resources, by resource, meter and UTC day."""
    row = UsageDayRow
    keys = (row.resource_id, row.meter_id, row.day, row.project_number)
    query = select(*keys).distinct().where(row.resource_id.in_(resources), row.day >= first, row.day <= last)
    found: dict[Mark, set[int]] = defaultdict(set)
    for resource, meter, day, project in tx.execute(query):
        found[resource, meter, day].add(project)
    return found


def counted(tx: Session, feeds: Sequence[int], first: date, end: date) -> dict[int, tuple[int, int, int]]:
    """How many readings of each feed started on some days, how many are nobody's, and how many gave way."""
    rows = _asked(tx, _COUNTED, feeds, first, end)
    return {feed: (int(all_of_it), int(nobodys), int(gave_way)) for feed, all_of_it, nobodys, gave_way in rows}


def totals_of(
    tx: Session, feeds: Sequence[int], first: date, end: date, projects: Sequence[int]
) -> dict[Place, Decimal]:
    """Usage of feeds that is of some projects, of days from one to another and that one too."""
    rows = _asked(tx, _TOTALS, feeds, first, end, *projects, projects=projects)
    return {
        (project, resource, meter, attributes, day): total for project, resource, meter, attributes, day, total in rows
    }


def _asked(
    tx: Session,
    statement: str,
    feeds: Sequence[int],
    first: date,
    end: date,
    *more: object,
    projects: Sequence[int] = (),
) -> Sequence[tuple[Any, ...]]:
    if not feeds:
        return []
    marks = {name: ", ".join(["%s"] * len(each)) for name, each in (("feeds", feeds), ("projects", projects))}
    values = (*feeds, _plain(first), _plain(end), *more)
    return tx.connection().exec_driver_sql(statement.format(**marks), values).fetchall()


def _plain(at: date) -> date:
    """A moment as the driver takes it."""
    return at.replace(tzinfo=None) if isinstance(at, datetime) else at
