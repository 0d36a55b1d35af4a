"""Rating of a seller's period from what the database holds: usage, supply lines and rate card versions."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import polars as pl
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from gradumen.core.assignment import Candidate, assign
from gradumen.core.catalogue import Plan
from gradumen.core.charges import Rated
from gradumen.core.forms import base_allowances
from gradumen.core.periods import Period, day_start, hour_number, zone_of
from gradumen.core.rated_periods import rate_period
from gradumen.core.rates import RateCardVersion
from gradumen.core.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.store.catalogue import PlanRow, PlanVersionRow
from gradumen.store.organisations import OrganisationRow, ProjectRow, zone_name
from gradumen.store.readings import AttributeSetRow
from gradumen.store.subscriptions import SubscriptionRow, SupplyLineRow
from gradumen.usecases.published import Published, load_cards, load_published, plan_of

ALWAYS = date(2000, 1, 1)
"""Before every period."""


@dataclass(frozen=True, slots=True)
class LoadedLine:
    """A supply line with what its charges are shown with."""

    row: SupplyLineRow
    subscription: SubscriptionRow
    plan: Plan
    currency: str
    version_ids: dict[int, UUID]


@dataclass(slots=True)
class RatedPeriod:
    """A seller's rated period: charges by number of line, and what the numbers in them mean."""

    period: Period
    zone: ZoneInfo
    start: datetime
    end: datetime
    rated: Rated
    lines: dict[int, LoadedLine]
    projects: list[ProjectRow]
    resources: list[str]
    unassigned: dict[tuple[str, str], int]
    """Usage that no subscription covers, in millionths per (meter, project path)."""


@dataclass(frozen=True, slots=True)
class LoadedLinks:
    """What rating a seller's period takes, read once."""

    period: Period
    zone: ZoneInfo
    lines: dict[int, LoadedLine]
    rated_lines: dict[int, RatedLine]
    usage: pl.DataFrame
    projects: list[ProjectRow]
    resources: list[str]
    unassigned: dict[tuple[str, str], int]
    attribute_sets: dict[int, dict[str, str]]
    published: Published

    def rate(self, instead: Mapping[UUID, RateCardVersion] | None = None) -> RatedPeriod:
        """Rate it.

        Args:
            instead: by rate card, a version that prices the whole period in place of those that held.
        """
        lines = {
            number: replace(line, versions=_instead(self.lines[number].row.rate_card_id, line.versions, instead or {}))
            for number, line in self.rated_lines.items()
        }
        start, end = self.period.bounds(self.zone)
        meters = {number: slug for slug, number in self.published.meter_ids.items()}
        samplings = {slug: meter.sampling for slug, meter in self.published.meters.items()}
        pricing = Pricing(lines, meters, self.attribute_sets, self.period, self.zone, samplings)
        rated = rate_period(self.usage, pricing)
        return RatedPeriod(
            self.period, self.zone, start, end, rated, self.lines, self.projects, self.resources, self.unassigned
        )


def _instead(
    card: UUID, versions: tuple[RateCardVersion, ...], instead: Mapping[UUID, RateCardVersion]
) -> tuple[RateCardVersion, ...]:
    if card not in instead:
        return versions
    return (replace(instead[card], card=str(card), starts_on=ALWAYS),)


def rate_links(
    tx: Session, seller: UUID, period: Period, *, buyers: Iterable[UUID] | None = None, owners: set[UUID] | None = None
) -> RatedPeriod:
    """Rate what a seller sold in a period.

    Args:
        buyers: only these direct buyers; None is all.
        owners: only subscriptions of these organisations; None is all.
    """
    return load_links(tx, seller, period, buyers=buyers, owners=owners).rate()


def load_links(
    tx: Session,
    seller: UUID,
    period: Period,
    *,
    buyers: Iterable[UUID] | None = None,
    owners: set[UUID] | None = None,
    with_usage: bool = True,
) -> LoadedLinks:
    """Read what rating takes; see `rate_links`. Without usage only fees come of it."""
    zone = zone_of(zone_name(tx, seller, period.first_day))
    published = load_published(tx)
    start, end = period.bounds(zone)
    lines, rated_lines = _load_lines(tx, seller, period, zone, published, buyers, owners)
    hours = (start, end) if with_usage else (start, start)
    usage, projects, resources, unassigned = _load_usage(tx, lines, rated_lines, published, *hours, zone)
    sets = {row.id: row.document for row in tx.scalars(select(AttributeSetRow))}
    return LoadedLinks(period, zone, lines, rated_lines, usage, projects, resources, unassigned, sets, published)


def _load_lines(
    tx: Session,
    seller: UUID,
    period: Period,
    zone: ZoneInfo,
    published: Published,
    buyers: Iterable[UUID] | None,
    owners: set[UUID] | None,
) -> tuple[dict[int, LoadedLine], dict[int, RatedLine]]:
    query = (
        select(SupplyLineRow, SubscriptionRow)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .where(
            SupplyLineRow.seller_id == seller,
            SubscriptionRow.starts_on < period.next().first_day,
            SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > period.first_day),
        )
        .order_by(
            SupplyLineRow.buyer_id, SubscriptionRow.organisation_id, SubscriptionRow.name, SupplyLineRow.starts_on
        )
    )
    if buyers is not None:
        query = query.where(SupplyLineRow.buyer_id.in_(list(buyers)))
    if owners is not None:
        query = query.where(SubscriptionRow.organisation_id.in_(owners))
    rows = tx.execute(query).all()
    cards = load_cards(tx, {line.rate_card_id for line, _ in rows}, published)
    plans = _load_plans(tx, {subscription.plan_version_id for _, subscription in rows}, published)
    loaded: dict[int, LoadedLine] = {}
    rated: dict[int, RatedLine] = {}
    numbers: dict[UUID, int] = {}
    allowances: dict[tuple[UUID, str], dict[str, Decimal]] = {}
    for number, (line, subscription) in enumerate(rows):
        card = cards[line.rate_card_id]
        plan = plans[subscription.plan_version_id]
        follows = rows[number + 1] if number + 1 < len(rows) else None
        until = subscription.ends_on
        if follows is not None and follows[1].id == subscription.id:
            until = follows[0].starts_on if until is None else min(until, follows[0].starts_on)
        key = (subscription.plan_version_id, line.tier)
        if key not in allowances:
            allowances[key] = base_allowances(plan, line.tier, published.meters)
        loaded[number] = LoadedLine(line, subscription, plan, card.currency, card.ids)
        rated[number] = RatedLine(
            number=number,
            plan=plan.slug,
            tier=line.tier,
            start=day_start(line.starts_on, zone),
            end=None if until is None else day_start(until, zone),
            versions=card.versions,
            allowances=allowances[key],
            quantity=line.quantity,
            subscription=numbers.setdefault(subscription.id, len(numbers)),
            buyer=numbers.setdefault(line.buyer_id, len(numbers)),
            tenant=numbers.setdefault(subscription.organisation_id, len(numbers)),
            paused=line.paused,
            trial=line.trial,
            first_day=subscription.starts_on,
            meters=frozenset(meter.slug for service in plan.services for meter in published.services[service].meters),
        )
    return loaded, rated


def _load_plans(tx: Session, ids: set[UUID], published: Published) -> dict[UUID, Plan]:
    rows = tx.execute(select(PlanVersionRow).join(PlanRow).where(PlanVersionRow.id.in_(ids))).scalars()
    return {row.id: plan_of(row, published) for row in rows}


def _load_usage(
    tx: Session,
    lines: dict[int, LoadedLine],
    rated: dict[int, RatedLine],
    published: Published,
    start: datetime,
    end: datetime,
    zone: ZoneInfo,
) -> tuple[pl.DataFrame, list[ProjectRow], list[str], dict[tuple[str, str], int]]:
    """Usage of the lines' subscribers as a frame, each row with its line; and what no subscription covers."""
    owners = {line.subscription.organisation_id for line in lines.values()}
    projects = list(
        tx.scalars(select(ProjectRow).where(ProjectRow.organisation_id.in_(owners)).order_by(ProjectRow.id))
    )
    numbers = {str(project.id): number for number, project in enumerate(projects)}
    rows = _usage_rows(tx, list(numbers), start, end)
    resources: dict[str, int] = {}
    columns: dict[str, list[Any]] = {name: [] for name in USAGE_SCHEMA if name != "line"}
    for project, meter, hour, resource, attributes, quantity in rows:
        columns["project"].append(numbers[str(project)])
        columns["meter"].append(meter)
        columns["hour"].append(hour)
        columns["resource"].append(resources.setdefault(resource, len(resources)))
        columns["attributes"].append(attributes)
        columns["quantity"].append(int(quantity))
    schema = {name: kind for name, kind in USAGE_SCHEMA.items() if name != "line"}
    frame = pl.DataFrame({name: pl.Series(columns[name], dtype=kind) for name, kind in schema.items()})
    intervals = _intervals(lines, rated, projects, published, start, end)
    assigned = (
        frame.lazy()
        .join(intervals.lazy(), on=["project", "meter"], how="inner")
        .filter((pl.col("hour") >= pl.col("from_hour")) & (pl.col("hour") < pl.col("to_hour")))
        .select(*USAGE_SCHEMA)
        .collect()
    )
    unassigned = _unassigned(tx, frame, assigned, published, projects)
    return assigned, projects, list(resources), unassigned


def _usage_rows(tx: Session, projects: list[str], start: datetime, end: datetime) -> Iterable[tuple[Any, ...]]:
    """Rows of hourly usage; hours as numbers and quantities in millionths, straight from the driver."""
    if not projects:
        return []
    marks = ", ".join(["%s"] * len(projects))
    result = tx.connection().exec_driver_sql(
        "SELECT project_id, meter_id, TIMESTAMPDIFF(HOUR, '1970-01-01', hour), resource, attribute_set_id, "
        "CAST(quantity * 1000000 AS DECIMAL(44, 0)) FROM usage_hours "
        f"WHERE project_id IN ({marks}) AND hour >= %s AND hour < %s",
        (*projects, start.astimezone(UTC).replace(tzinfo=None), end.astimezone(UTC).replace(tzinfo=None)),
    )
    return result.fetchall()


def _intervals(
    lines: dict[int, LoadedLine],
    rated: dict[int, RatedLine],
    projects: list[ProjectRow],
    published: Published,
    start: datetime,
    end: datetime,
) -> pl.DataFrame:
    """Which line takes the usage of a project and meter in which hours."""
    of_owner: dict[UUID, list[int]] = defaultdict(list)
    for number, line in lines.items():
        of_owner[line.subscription.organisation_id].append(number)
    found: dict[str, list[int]] = {name: [] for name in ("project", "meter", "from_hour", "to_hour", "line")}
    for index, project in enumerate(projects):
        candidates: dict[str, list[Candidate]] = defaultdict(list)
        for number in of_owner[project.organisation_id]:
            subscription = lines[number].subscription
            if subscription.project_id not in (None, project.id):
                continue
            until = rated[number].end
            candidate = Candidate(
                (subscription.project_id is None, subscription.starts_on.toordinal(), subscription.name),
                number,
                max(hour_number(rated[number].start), hour_number(start)),
                hour_number(end) if until is None else min(hour_number(until), hour_number(end)),
            )
            for service in lines[number].plan.services:
                candidates[service].append(candidate)
        for service, competing in candidates.items():
            for from_hour, to_hour, number in assign(competing):
                for meter in published.services[service].meters:
                    for name, value in zip(
                        found, (index, published.meter_ids[meter.slug], from_hour, to_hour, number), strict=True
                    ):
                        found[name].append(value)
    return pl.DataFrame(found, schema=dict.fromkeys(found, pl.Int32))


def _unassigned(
    tx: Session, frame: pl.DataFrame, assigned: pl.DataFrame, published: Published, projects: list[ProjectRow]
) -> dict[tuple[str, str], int]:
    if frame.height == assigned.height:
        return {}
    keys = ["project", "meter"]
    everything = frame.group_by(keys).agg(pl.col("quantity").sum())
    taken = assigned.group_by(keys).agg(pl.col("quantity").sum().alias("taken"))
    rest = everything.join(taken, on=keys, how="left").with_columns(pl.col("taken").fill_null(0))
    slugs = {number: slug for slug, number in published.meter_ids.items()}
    owners = {
        row.id: row.slug
        for row in tx.scalars(
            select(OrganisationRow).where(OrganisationRow.id.in_({project.organisation_id for project in projects}))
        )
    }
    found: dict[tuple[str, str], int] = {}
    for project, meter, whole, part in rest.select("project", "meter", "quantity", "taken").iter_rows():
        if whole != part:
            row = projects[project]
            found[slugs[meter], f"{owners[row.organisation_id]}/{row.slug}"] = whole - part
    return found


def first_period(tx: Session, seller: UUID) -> date | None:
    """The first day that any supply line of a seller covers."""
    return tx.scalar(
        select(SubscriptionRow.starts_on)
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .where(SupplyLineRow.seller_id == seller)
        .order_by(SubscriptionRow.starts_on)
        .limit(1)
    )


def usage_revision(tx: Session, seller: UUID, period: Period) -> int:
    """The sum of revisions of all that is sold to, over the months that a period touches in any zone."""
    total = tx.execute(
        text(
            "SELECT COALESCE(SUM(r.revision), 0) FROM usage_revisions r WHERE r.month BETWEEN :first AND :last "
            "AND r.organisation_id IN (SELECT s.organisation_id FROM subscriptions s "
            "JOIN supply_lines l ON l.subscription_id = s.id WHERE l.seller_id = :seller)"
        ),
        {
            "first": period.before().first_day,
            "last": period.next().first_day,
            "seller": str(seller),
        },
    ).scalar()
    return int(total or 0)
