"""Hourly usage with the line that takes it: by assignment rules, then by project and day."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any, Protocol
from uuid import UUID
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.exact import AMOUNT_PLACES, scaled
from gradumen.core.metering.imported_costs import CostCategory
from gradumen.core.periods import Period, day_start, hour_number
from gradumen.core.rating.hours_apart import HoursApart
from gradumen.core.rating.imported_costs import COST_SCHEMA
from gradumen.core.rating.rating import USAGE_SCHEMA, RatedLine
from gradumen.core.subscriptions.assignment_rules import AssignmentRule, Candidate, assign
from gradumen.store.metering.imported_costs import costs_of
from gradumen.store.metering.usage import attribute_sets, composites_named
from gradumen.store.organisations.projects import projects_by_name
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.subscriptions.tables import SubscriptionRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.composed_usage import composites_of, concerned_by
from gradumen.usecases.rating.unassigned_usage import Through, Unassigned, loose_usage, unassigned_usage
from gradumen.usecases.rating.usage_frames import Resources, usage_frame
from gradumen.usecases.subscriptions.assignment_rules import load_rules


@dataclass(frozen=True, slots=True)
class Assigned:
    """Usage and imported costs, each row with the line that takes it, and what no subscription covers.

    Single hours of usage are there where they make a difference: see `gradumen.usecases.rating.usage_frames`.

    See `gradumen.core.rating.rating.USAGE_SCHEMA` and `gradumen.core.rating.imported_costs.COST_SCHEMA`.
    """

    usage: pl.DataFrame
    costs: pl.DataFrame
    projects: list[ProjectRow]
    resources: Resources
    unassigned: list[Unassigned]
    composites: Mapping[int, int]
    """By attribute set the place of the composite that it names."""
    loose: pl.DataFrame
    """Of composites and components the hours that no line takes: see `unassigned_usage.LOOSE_SCHEMA`."""


class SoldLine(Protocol):
    """What of a supply line decides which usage it takes."""

    @property
    def subscription(self) -> SubscriptionRow: ...
    @property
    def services(self) -> tuple[str, ...]: ...


def load_usage(
    tx: Session,
    lines: Mapping[int, SoldLine],
    rated: dict[int, RatedLine],
    published: Published,
    apart: HoursApart,
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
    seller: UUID,
    above: Collection[UUID],
    buyers: Mapping[UUID, Sequence[Through]],
) -> Assigned:
    """Usage of a seller's buyers and all below, each row with its line; and what no subscription covers.

    Args:
        above: the seller and all above it: usage of services of others, further down, is none of its business.
        buyers: each organisation whose usage counts, with the buyers that it is charged through, one after the other;
            the seller itself buys its own services only, those from above are on the link above.
    """
    owners = set(buyers)
    # Shares, ties and allowances go by these numbers, so they follow names, never the order in which rows come.
    projects = projects_by_name(tx, owners)
    costs = _cost_rows(tx, projects, *period, zone)
    named = composites_named(tx)
    frame, resources = usage_frame(tx, projects, apart, period, zone, {each.resource for each in costs}, named)
    rules = load_rules(tx, owners)

    def assigned(rows: pl.DataFrame, schema: Mapping[str, Any]) -> tuple[pl.DataFrame, pl.DataFrame]:
        concerned = _concerned(rows, projects, published, seller, above)
        sold = _while_sold(concerned, projects, buyers, period, zone)
        told = sold.with_columns(pl.Series("kind", [0] * sold.height, dtype=pl.Int32))
        kinds: list[tuple[AssignmentRule, ...]] = [()]
        if rules:
            told, kinds = _kinds(tx, told, rules, projects, resources.names, published)
        intervals = _intervals(lines, rated, projects, kinds, published, period, zone)
        found = (
            told.lazy()
            .join(intervals.lazy(), on=["project", "meter", "kind"], how="inner")
            .filter((pl.col("hour") >= pl.col("from_hour")) & (pl.col("hour") < pl.col("to_hour")))
            .select(*dict.fromkeys([*schema, "quantity"]), *(name for name in ("through",) if name in told.columns))
            .collect()
        )
        return told, found

    told, found = assigned(frame, USAGE_SCHEMA)
    unassigned = list(unassigned_usage(tx, told, found, published, projects, buyers))
    composites = composites_of(named, resources.names)
    loose = loose_usage(told, found, concerned_by(told, composites) if composites else [])
    usage, imported = found.select(*USAGE_SCHEMA), pl.DataFrame(schema=COST_SCHEMA)
    if costs:
        told, found = assigned(_cost_frame(costs, projects, resources), COST_SCHEMA)
        unassigned += unassigned_usage(tx, told, found, published, projects, buyers)
        imported = found.select(*COST_SCHEMA)
    return Assigned(usage, imported, projects, resources, unassigned, composites, loose)


@dataclass(frozen=True, slots=True)
class _Cost:
    """What a project's resource cost on a day, in the hours of the seller's clocks; amounts in 10**-12."""

    project: int
    meter: int
    attributes: int
    resource: int
    hour: int
    day: date
    commitment: bool
    billed: int
    effective: int
    sold: bool
    estimated: bool


def _cost_rows(
    tx: Session, projects: Sequence[ProjectRow], start: datetime, end: datetime, zone: ZoneInfo
) -> list[_Cost]:
    """What the sources' billing period of the month cost, without their tax; each on its day inside the period."""
    if start >= end:
        return []
    month = start.astimezone(zone).date().replace(day=1)
    last = (end - timedelta(seconds=1)).astimezone(zone).date()
    found = []
    for row in costs_of(tx, [each.number for each in projects], [month]):
        if row.category == CostCategory.TAX:
            continue
        day = min(max(row.day, month), last)
        sold = row.sold_billed is not None
        billed, effective = (row.sold_billed, row.sold_effective) if sold else (row.billed, row.effective)
        found.append(
            _Cost(
                project=row.project_number,
                meter=row.meter_id,
                attributes=row.attribute_set_id,
                resource=row.resource_id,
                hour=hour_number(day_start(day, zone), zone),
                day=day,
                commitment=row.commitment,
                billed=scaled(billed, AMOUNT_PLACES),
                effective=scaled(effective, AMOUNT_PLACES),
                sold=sold,
                estimated=bool(row.estimated),
            )
        )
    return found


def billed_costs(
    tx: Session, owners: Collection[UUID], month: Period, days: tuple[date, date], zone: ZoneInfo
) -> Mapping[int, int]:
    """What organisations' imported costs of a month came to by meter, in 10**-12, from a day up to another."""
    found: dict[int, int] = defaultdict(int)
    for each in _cost_rows(tx, projects_by_name(tx, owners), *month.bounds(zone), zone):
        if days[0] <= each.day < days[1]:
            found[each.meter] += each.billed
    return found


def _cost_frame(costs: Sequence[_Cost], projects: Sequence[ProjectRow], resources: Resources) -> pl.DataFrame:
    """Costs as a frame that names projects and resources as usage does; ``quantity`` is billed cost."""
    index = {each.number: number for number, each in enumerate(projects)}
    schema = {name: kind for name, kind in COST_SCHEMA.items() if name != "line"}
    rows = [
        (each.meter, each.attributes, index[each.project], resources.place[each.resource], each.hour, each.commitment,
         each.billed, each.effective, each.sold, each.estimated, each.billed, each.day)
        for each in costs
    ]  # fmt: skip
    return pl.DataFrame(rows, schema={**schema, "quantity": pl.Int128, "day": pl.Date}, orient="row")


_SPANS = {
    "project": pl.Int32,
    "from_hour": pl.Int32,
    "to_hour": pl.Int32,
    "first": pl.Date,
    "until": pl.Date,
    "through": pl.Int32,
}


def _while_sold(
    frame: pl.DataFrame,
    projects: list[ProjectRow],
    buyers: Mapping[UUID, Sequence[Through]],
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
) -> pl.DataFrame:
    """Of those who moved, the usage of while they were the seller's; with ``through``, the number of the buyer then.

    Without where nobody moved: then there is nothing to tell apart. What is of a whole ``day``, as costs are, goes by
    the clocks that decide of a move, and lies inside the time that each has: by those of the sellers the day on which
    somebody comes from one to another may be both's, or neither's.
    """
    whole = [[(each.start, each.end) for each in through] == [period] for through in buyers.values()]
    if all(whole) or not frame.height:
        return frame
    spans = [
        (index, hour_number(each.start, zone), hour_number(each.end, zone), each.first, each.until, number)
        for index, project in enumerate(projects)
        for number, each in enumerate(buyers[project.organisation_id])
    ]
    table = pl.DataFrame(spans, schema=_SPANS, orient="row")
    joined = frame.lazy().join(table.lazy(), on="project", how="inner")
    if "day" in frame.columns:
        inside = (pl.col("day") >= pl.col("first")) & (pl.col("day") < pl.col("until"))
        hour = pl.col("hour").clip(pl.col("from_hour"), pl.col("to_hour") - 1)
        found = joined.filter(inside).with_columns(hour)
    else:
        found = joined.filter((pl.col("hour") >= pl.col("from_hour")) & (pl.col("hour") < pl.col("to_hour")))
    return found.drop("from_hour", "to_hour", "first", "until").collect()


def _concerned(
    frame: pl.DataFrame, projects: list[ProjectRow], published: Published, seller: UUID, above: Collection[UUID]
) -> pl.DataFrame:
    """What of the usage is a seller's business: services from above to everybody below, its own also to itself."""
    owner_of = {
        number: published.owners["service", slug.partition("/")[0]] for slug, number in published.meter_ids.items()
    }
    sold = [number for number, owner in owner_of.items() if owner in above]
    own = [number for number, owner in owner_of.items() if owner == seller]
    themselves = [number for number, project in enumerate(projects) if project.organisation_id == seller]
    return frame.filter(
        pl.col("meter").is_in(sold) & (~pl.col("project").is_in(themselves) | pl.col("meter").is_in(own))
    )


def _kinds(
    tx: Session,
    frame: pl.DataFrame,
    rules: Mapping[UUID, list[AssignmentRule]],
    projects: list[ProjectRow],
    resources: list[str],
    published: Published,
) -> tuple[pl.DataFrame, list[tuple[AssignmentRule, ...]]]:
    """The frame with ``kind``, the number of the set of rules that takes each row; and those sets."""
    concerned = [number for number, project in enumerate(projects) if project.organisation_id in rules]
    keys = ["project", "meter", "attributes", "resource"]
    alike = frame.filter(pl.col("project").is_in(concerned)).select(keys).unique()
    slugs = {number: slug for slug, number in published.meter_ids.items()}
    numbers = alike["attributes"].unique().to_list()
    attributes = attribute_sets(tx, numbers)
    kinds: dict[tuple[AssignmentRule, ...], int] = {(): 0}
    found: list[int] = []
    for project, meter, attribute_set, resource in alike.iter_rows():
        service = slugs[meter].partition("/")[0]
        row = projects[project]
        taking = tuple(
            rule
            for rule in rules[row.organisation_id]
            if rule.takes(service, row.slug, resources[resource], attributes[attribute_set])
        )
        found.append(kinds.setdefault(taking, len(kinds)))
    numbered = alike.with_columns(pl.Series("kind", found, dtype=pl.Int32))
    joined = frame.drop("kind").join(numbered, on=keys, how="left").with_columns(pl.col("kind").fill_null(0))
    return joined, list(kinds)


def _intervals(
    lines: Mapping[int, SoldLine],
    rated: dict[int, RatedLine],
    projects: list[ProjectRow],
    kinds: list[tuple[AssignmentRule, ...]],
    published: Published,
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
) -> pl.DataFrame:
    """Which line takes the usage of a project, meter and set of rules in which hours."""
    of_owner: dict[UUID, list[int]] = defaultdict(list)
    for number, line in lines.items():
        of_owner[line.subscription.organisation_id].append(number)
    names = ("project", "meter", "kind", "from_hour", "to_hour", "line")
    found: dict[str, list[int]] = {name: [] for name in names}
    for index, project in enumerate(projects):
        for kind, rules in enumerate(kinds):
            candidates: dict[str, list[Candidate]] = defaultdict(list)
            for number in of_owner[project.organisation_id]:
                for candidate in _candidates(lines[number], rated[number], project, rules, period, zone):
                    for service in lines[number].services:
                        candidates[service].append(candidate)
            for service, competing in candidates.items():
                for from_hour, to_hour, number in assign(competing):
                    for meter in published.metered[service]:
                        row = (index, published.meter_ids[meter], kind, from_hour, to_hour, number)
                        for name, value in zip(names, row, strict=True):
                            found[name].append(value)
    return pl.DataFrame(found, schema=dict.fromkeys(found, pl.Int32))


def _candidates(
    line: SoldLine,
    rated: RatedLine,
    project: ProjectRow,
    rules: tuple[AssignmentRule, ...],
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
) -> Iterator[Candidate]:
    """When a line may take a project's usage: where a rule says so before all others, else by project and day."""
    subscription = line.subscription
    first, last = (hour_number(moment, zone) for moment in period)
    start = max(hour_number(rated.start, zone), first)
    end = last if rated.end is None else min(hour_number(rated.end, zone), last)
    for rule in rules:
        if rule.subscription == subscription.id:
            opens = max(start, hour_number(day_start(rule.starts_on, zone), zone))
            closes = end if rule.ends_on is None else min(end, hour_number(day_start(rule.ends_on, zone), zone))
            if opens < closes:
                yield Candidate((0, rule.position), rated.number, opens, closes)
    if subscription.project_id in (None, project.id):
        rank = (1, int(subscription.project_id is None), subscription.starts_on.toordinal(), subscription.name)
        yield Candidate(rank, rated.number, start, end)
