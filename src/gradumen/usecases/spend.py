"""The lines of a period, billed or not: what a draft would have, today."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal, localcontext
from fractions import Fraction
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.billing import line_amount
from gradumen.core.errors import Forbidden
from gradumen.core.exact import AMOUNT_PLACES, EXACT, QUANTITY_PLACES, add, round_half_up, text, unscaled
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.rating import Charge, Part
from gradumen.core.units import parse_unit
from gradumen.store.organisations import OrganisationRow, zone_name
from gradumen.store.subscriptions import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.catalogue import Published, load_published
from gradumen.usecases.rating import RatedPeriod, rate_links
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, organisations_by_id


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a draft, an invoice or a period so far; ``amount`` is rounded to the currency's minor unit.

    ``quantity`` is shown in ``unit`` with at most 6 places; ``project`` None is the whole organisation.
    """

    organisation: str
    subscription: str
    project: str | None
    service: str
    rate: str
    rate_card_version: int
    description: str
    quantity: Decimal
    unit: str
    amount: Decimal
    service_start: datetime
    service_end: datetime
    charge_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class LinkPeriod:
    """One link's period: who sells to whom, its lines, and the exact amounts of its days."""

    seller: str
    seller_name: str
    buyer: str
    buyer_name: str
    currency: str
    period: str
    start: datetime
    end: datetime
    net: Decimal
    lines: list[Line]
    days: list[tuple[date, Decimal]]
    not_priced: list[dict[str, str]]


@use_case
def period_so_far(tx: Session, caller: Caller, *, organisation: str, period: str | None) -> list[LinkPeriod]:
    """What an organisation and all below it are charged in a period, per link that the caller may see.

    The links where the organisation is the buyer come first, then those where it sells.

    Raises:
        Forbidden: the caller sees the organisation but no link's money above or below it.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    if not scope.may(Right.READ_MONEY, owner.id):
        raise Forbidden(right=Right.READ_MONEY, organisation=owner.slug)
    below = scope.tree.below([owner.id])
    links = _visible_links(tx, scope, owner, below)
    known = organisations_by_id(tx, {each for link in links for each in link})
    published = load_published(tx)
    found: list[LinkPeriod] = []
    by_seller: dict[UUID, list[UUID]] = defaultdict(list)
    for seller, buyer in links:
        by_seller[seller].append(buyer)
    for seller, buyers in by_seller.items():
        zone = zone_of(zone_name(tx, seller, scope.now.date()))
        month = Period.parse(period) if period else Period.containing(scope.now, zone)
        rated = rate_links(tx, seller, month, buyers=buyers, owners=below)
        found += link_periods(tx, rated, known, published)
    found.sort(key=lambda each: (each.buyer != owner.slug, each.seller == owner.slug, each.seller, each.buyer))
    return found


def _visible_links(tx: Session, scope: Scope, owner: OrganisationRow, below: set[UUID]) -> list[tuple[UUID, UUID]]:
    rows = tx.execute(
        select(SupplyLineRow.seller_id, SupplyLineRow.buyer_id)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .where(SubscriptionRow.organisation_id.in_(below))
        .distinct()
    )
    return sorted((seller, buyer) for seller, buyer in rows if scope.sees_link(seller, buyer))


def link_periods(
    tx: Session, rated: RatedPeriod, known: dict[UUID, OrganisationRow], published: Published
) -> list[LinkPeriod]:
    """The lines and days of each buyer in a rated period."""
    names = LineNames(tx, rated, published)
    found: dict[UUID, list[Charge]] = defaultdict(list)
    for charge in rated.rated.charges:
        found[rated.lines[charge.line].row.buyer_id].append(charge)
    links: list[LinkPeriod] = []
    for buyer, charges in found.items():
        first = rated.lines[charges[0].line]
        lines = [
            names.line(charge, project, parts) for charge in charges for project, parts in by_project(charge).items()
        ]
        days: dict[date, list[Decimal]] = defaultdict(list)
        for charge in charges:
            for part in charge.parts:
                days[part.day].append(part.amount)
        links.append(
            LinkPeriod(
                seller=known[first.row.seller_id].slug,
                seller_name=known[first.row.seller_id].name,
                buyer=known[buyer].slug,
                buyer_name=known[buyer].name,
                currency=first.currency,
                period=rated.period.text,
                start=rated.start,
                end=rated.end,
                net=line_amount([line.amount for line in lines], first.currency),
                lines=sorted(lines, key=line_order),
                days=[(day, add(amounts)) for day, amounts in sorted(days.items())],
                not_priced=names.not_priced(buyer),
            )
        )
    return links


def line_order(line: Line) -> tuple[Any, ...]:
    """The order of lines in every document and table."""
    return (
        line.organisation,
        line.subscription,
        line.project or "",
        line.service_start,
        line.service,
        line.rate,
        line.rate_card_version,
    )


def by_project(charge: Charge) -> dict[int | None, list[Part]]:
    """A charge's parts per project."""
    found: dict[int | None, list[Part]] = defaultdict(list)
    for part in charge.parts:
        found[part.project].append(part)
    return found


class LineNames:
    """Turns charges into lines with the names that people know."""

    def __init__(self, tx: Session, rated: RatedPeriod, published: Published) -> None:
        self.rated, self.published = rated, published
        owners = {line.subscription.organisation_id for line in rated.lines.values()}
        self.owners = organisations_by_id(tx, owners)

    def project(self, index: int | None, line: int) -> str | None:
        """The slug of a part's project; a fee belongs to its subscription's project."""
        if index is not None:
            return self.rated.projects[index].slug
        wanted = self.rated.lines[line].subscription.project_id
        return next((each.slug for each in self.rated.projects if each.id == wanted), None)

    def line(self, charge: Charge, project: int | None, parts: Iterable[Part]) -> Line:
        """The line of a charge and project."""
        loaded = self.rated.lines[charge.line]
        chosen = list(parts)
        quantity = add([part.quantity for part in chosen])
        tier = loaded.plan.tier(loaded.row.tier)
        if charge.meter is None:
            service, description = loaded.plan.slug, f"{loaded.plan.name} {tier.name}, monthly fee"
            # A fee is shown as the part of the period that it covers.
            whole = (self.rated.end - self.rated.start).total_seconds()
            shown = round_half_up(Fraction(quantity) * loaded.subscription.quantity / int(whole), QUANTITY_PLACES)
        else:
            meter = self.published.meters[charge.meter]
            service = charge.meter.partition("/")[0]
            description = f"{self.published.services[service].name}: {meter.name}"
            if conditions := self.conditions(charge):
                description += f", {conditions}"
            unit = parse_unit(charge.unit, counted=meter.counted)
            shown = round_half_up(Fraction(quantity) / unit.factor, QUANTITY_PLACES)
        return Line(
            organisation=self.owners[loaded.subscription.organisation_id].slug,
            subscription=loaded.subscription.name,
            project=self.project(project, charge.line),
            service=service,
            rate=charge.rate,
            rate_card_version=charge.version.number,
            description=description,
            quantity=shown,
            unit=charge.unit,
            amount=line_amount([part.amount for part in chosen], loaded.currency),
            service_start=charge.start,
            service_end=charge.end,
        )

    def conditions(self, charge: Charge) -> str:
        """What the rate of a charge matches, in words."""
        for rate in charge.version.rates:
            if rate.slug == charge.rate and hasattr(rate, "match"):
                return ", ".join(f"{key} {value}" for key, value in rate.match)
        return ""

    def not_priced(self, buyer: UUID) -> list[dict[str, str]]:
        """Usage of a buyer's lines that no rate prices, or no subscription covers."""
        found = [
            {
                "meter": each.meter,
                "organisation": self.owners[self.rated.lines[each.line].subscription.organisation_id].slug,
                "quantity": text(each.quantity),
                "reason": "no rate",
            }
            for each in self.rated.rated.unpriced
            if self.rated.lines[each.line].row.buyer_id == buyer
        ]
        mine = {
            self.owners[line.subscription.organisation_id].slug
            for line in self.rated.lines.values()
            if line.row.buyer_id == buyer
        }
        found += [
            {
                "meter": meter,
                "organisation": path,
                "quantity": text(unscaled(whole, QUANTITY_PLACES)),
                "reason": "no subscription",
            }
            for (meter, path), whole in self.rated.unassigned.items()
            if path.partition("/")[0] in mine
        ]
        return found


def explain(charge: Charge, names: LineNames) -> dict[str, Any]:
    """The arithmetic of a charge in plain data: what it was, block by block, all numbers as text."""
    loaded = names.rated.lines[charge.line]
    version = charge.version
    factor = Fraction(1)
    counted, base = None, "second"
    if charge.meter is not None:
        meter = names.published.meters[charge.meter]
        counted, base = meter.counted, meter.unit.text
        factor = parse_unit(charge.unit, counted=counted).factor
    whole = int((names.rated.end - names.rated.start).total_seconds())
    with localcontext(EXACT):
        return {
            "kind": charge.kind,
            "rate_card_version": version.number,
            "starts_on": version.starts_on.isoformat(),
            "rate": charge.rate,
            "meter": charge.meter,
            "match": names.conditions(charge),
            "base_unit": base,
            "unit": charge.unit,
            "base_units_per_unit": str(factor) if charge.meter else str(whole),
            "quantity": text(charge.quantity),
            "covered_by_allowance": text(charge.covered),
            "priced_before_in_period": text(charge.before),
            "subscribed_quantity": loaded.subscription.quantity,
            "blocks": [
                {
                    "from": text(block.from_quantity),
                    "quantity": text(block.quantity),
                    "in_units": text(
                        round_half_up(Fraction(block.quantity) / (factor if charge.meter else whole), QUANTITY_PLACES)
                    ),
                    "price": text(block.price),
                    "amount": text(round_half_up(block.amount, AMOUNT_PLACES)),
                }
                for block in charge.blocks
            ],
            "amount": text(charge.amount),
            "attribute_sets": list(charge.attributes),
        }


def days_text(start: datetime, end: datetime) -> str:
    """A service period as its first and last day, for people.

    >>> from datetime import UTC
    >>> days_text(datetime(2026, 10, 1, tzinfo=UTC), datetime(2026, 11, 1, tzinfo=UTC))
    '2026-10-01 to 2026-10-31'
    """
    middle = timedelta(hours=12)
    return f"{(start + middle).date()} to {(end - middle).date()}"
