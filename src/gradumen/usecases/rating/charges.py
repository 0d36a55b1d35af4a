"""Charges as people read them: the lines that they make, and their arithmetic in plain data."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Set
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal, localcontext
from fractions import Fraction
from functools import cached_property
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.conditions import words
from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.rates import (
    PROMISED,
    Every,
    Lots,
    Markup,
    Rate,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    UsageRate,
)
from gradumen.core.exact import (
    AMOUNT_PLACES,
    EXACT,
    QUANTITY_PLACES,
    add,
    line_amount,
    round_half_up,
    scaled,
    text,
    unscaled,
)
from gradumen.core.rating.charges import ONE_OFF, PROMISES, SHARED_COST, Charge, service_of
from gradumen.core.rating.imported_costs import KINDS
from gradumen.core.rating.parts import Part
from gradumen.core.units import parse_unit
from gradumen.store.metering.usage import composites_named
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.pairs import PairRow
from gradumen.store.rating.composites import charged_as_components
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.links import RatedPeriod

_FEES = {
    Every.ONCE: "one-off fee",
    Every.MONTH: "monthly fee",
    Every.QUARTER: "quarterly fee",
    Every.YEAR: "yearly fee",
}


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


def describe(charge: Charge, plan: Plan, tier: str, published: Published) -> str:
    """What a charge is for, in words."""
    if charge.meter is not None:
        said = meter_name(charge.meter, published)
        conditions = conditions_of(charge)
        return f"{said}, {conditions}" if conditions else said
    found = entry_of(charge)
    if isinstance(found, RecurringRate):
        return f"{plan.name} {plan.tier(tier).name}, {_FEES[found.every]}"
    if isinstance(found, SpendCommitment):
        return f"Minimum spend of {text(found.amount)} per month, not reached"
    if isinstance(found, SpreadRate):
        return f"Fixed cost {found.slug}, spread by {meter_name(found.by, published)}"
    if charge.kind == "overhead":
        return f"Overhead, {text(charge.version.overhead)} %"
    discount = next((each for each in charge.version.discounts if each.slug == charge.rate), None)
    return f"Discount: {discount.name}" if discount else "Trial, free of charge"


def service_name(slug: str, published: Published) -> str | None:
    """What a charge is for, by `gradumen.core.rating.charges.service_of`, in words; None where it is no service."""
    other = {SHARED_COST: "Fixed cost and overhead", ONE_OFF: "One-off charges", PROMISES: "Promised quotas"}.get(slug)
    return published.services[slug].name if slug in published.services else other


def sold_name(slug: str, plans: Mapping[str, Plan], published: Published) -> str:
    """A service's name, or for what belongs to none the plan's; ``plans`` are those that its seller has names for."""
    return service_name(slug, published) or f"{plans.get(slug, published.plans[slug]).name}: fees"


def entry_of(charge: Charge) -> Rate | None:
    """The rate that made a charge; None for a discount."""
    return next((rate for rate in charge.version.rates if rate.slug == charge.rate), None)


def conditions_of(charge: Charge) -> str:
    """What the rate of a charge matches, and whether it counts begun steps of time, in words."""
    found = entry_of(charge)
    if not isinstance(found, UsageRate):
        return ""
    begun = f"each {found.started} begun" if found.started else ""
    return ", ".join(each for each in (words(found.match, found.when), begun) if each)


def base_units(charge: Charge, published: Published) -> Fraction:
    """How many base units (seconds for a fee) one unit of a charge is."""
    if charge.meter is not None:
        return parse_unit(charge.unit, counted=published.meter(charge.meter).counted).factor
    if charge.kind in ("commitment", "spread"):
        return Fraction(int((charge.end - charge.start).total_seconds()))
    return charge.blocks[0].factor if charge.blocks else Fraction(1)


class LineNames:
    """Turns charges into lines with the names that people know."""

    def __init__(self, tx: Session, rated: RatedPeriod, published: Published, pairs: Collection[PairRow] = ()) -> None:
        """``pairs`` are those that the charges were read of, for who explains them."""
        self.rated, self.published, self._pairs = rated, published, pairs
        self._tx = tx
        owners = {line.subscription.organisation_id for line in rated.lines.values()}
        self.owners = organisations_by_id(tx, owners)
        self._project_slugs = {project.id: project.slug for project in rated.projects}

    @cached_property
    def composites(self) -> dict[int, str]:
        """By attribute set what components that have it are components of."""
        return composites_named(self._tx)

    @cached_property
    def as_components(self) -> dict[tuple[UUID, str, int], list[str]]:
        """The composites of which some was charged as their components, by supply line, meter and attribute set."""
        return charged_as_components(self._tx, self._pairs)

    def project(self, index: int | None, line: int) -> str | None:
        """The slug of a part's project; a fee belongs to its subscription's project."""
        if index is not None:
            return self.rated.projects[index].slug
        wanted = self.rated.lines[line].subscription.project_id
        return None if wanted is None else self._project_slugs.get(wanted)

    def lines(self, charge: Charge) -> list[Line]:
        """A charge's lines, one a project; what belongs to no project is the subscription's."""
        found: dict[str | None, list[Part]] = {}
        for part in charge.parts:
            found.setdefault(self.project(part.project, charge.line), []).append(part)
        return [self._line(charge, project, parts) for project, parts in found.items()]

    def _line(self, charge: Charge, project: str | None, chosen: list[Part]) -> Line:
        loaded = self.rated.lines[charge.line]
        quantity = add([part.quantity for part in chosen])
        return Line(
            organisation=self.owners[loaded.subscription.organisation_id].slug,
            subscription=loaded.subscription.name,
            project=project,
            service=charge.meter.partition("/")[0] if charge.meter else loaded.plan.slug,
            rate=charge.rate,
            rate_card_version=charge.version.number,
            description=self.description(charge),
            quantity=round_half_up(Fraction(quantity) / self.base_units(charge), QUANTITY_PLACES),
            unit=charge.unit,
            amount=line_amount([part.amount for part in chosen], loaded.currency),
            service_start=charge.start,
            service_end=charge.end,
        )

    def description(self, charge: Charge) -> str:
        """What a charge is for, in words."""
        loaded = self.rated.lines[charge.line]
        if charge.kind == "one_off_charge":
            return self.rated.names.one_off_charges[charge.rate]
        plan = self.rated.names.plans.get(loaded.plan.slug, loaded.plan)
        sold = loaded.plan if loaded.row.tier not in {tier.slug for tier in plan.tiers} else plan
        return describe(charge, sold, loaded.row.tier, self.published)

    def base_units(self, charge: Charge) -> Fraction:
        """How many base units one unit of a charge is."""
        return base_units(charge, self.published)

    def not_priced(self, owners: Set[UUID]) -> dict[UUID, list[dict[str, str]]]:
        """Usage of ``owners`` that no rate prices or no subscription covers, by the buyer it is charged through.

        Not of meters that are only watched.
        """
        watched = self.published.watched
        sums: dict[UUID, dict[tuple[str, str, str], int]] = defaultdict(lambda: defaultdict(int))
        for each in self.rated.rated.unpriced:
            line = self.rated.lines[each.line]
            owner = line.subscription.organisation_id
            if owner in owners and each.meter not in watched:
                key = each.meter, self.owners[owner].slug, why_not_priced(True, each.meter, each.quantity)
                sums[line.row.buyer_id][key] += scaled(each.quantity, QUANTITY_PLACES)
        for rest in self.rated.unassigned:
            if rest.owner in owners and rest.meter not in watched:
                sums[rest.buyer][rest.meter, rest.path, "no subscription"] += rest.quantity
        return {
            buyer: [
                {
                    "meter": meter,
                    "organisation": organisation,
                    "quantity": text(unscaled(quantity, QUANTITY_PLACES)),
                    "reason": reason,
                }
                for (meter, organisation, reason), quantity in found.items()
            ]
            for buyer, found in sums.items()
        }


def why_not_priced(has_line: bool, meter: str, quantity: Decimal) -> str:
    """Why something is not priced: what quotas promise can lack a limit."""
    if not has_line:
        return "no subscription"
    return "no limit" if meter.startswith(PROMISED) and not quantity else "no rate"


ServiceKey = tuple[UUID, str, str]
"""Buyer, service (the plan of what belongs to none, `SHARED_COST` of what is shared out, `ONE_OFF`), currency."""


def amounts_by_service(tx: Session, rated: RatedPeriod, published: Published) -> dict[ServiceKey, Decimal]:
    """What the lines of a rated period come to for each buyer and service, rounded as on its documents."""
    names = LineNames(tx, rated, published)
    found: dict[ServiceKey, list[Decimal]] = defaultdict(list)
    for charge in rated.rated.charges:
        loaded = rated.lines[charge.line]
        for line in names.lines(charge):
            service = service_of(charge.kind, charge.meter) or line.service
            found[loaded.row.buyer_id, service, loaded.currency].append(line.amount)
    return {key: add(amounts) for key, amounts in found.items()}


def explain(charge: Charge, names: LineNames) -> dict[str, Any]:
    """The arithmetic of a charge in plain data: what it was, block by block, all numbers as text."""
    version, found = charge.version, entry_of(charge)
    factor = names.base_units(charge)
    with localcontext(EXACT):
        shown: dict[str, Any] = {
            "kind": charge.kind,
            "rate_card_version": version.number,
            "starts_on": version.starts_on.isoformat(),
            "rate": charge.rate,
            "meter": charge.meter,
            "match": conditions_of(charge),
            "base_unit": names.published.meter(charge.meter).unit.text if charge.meter else "second",
            "unit": "lot" if isinstance(found, UsageRate) and isinstance(found.pricing, Lots) else charge.unit,
            "base_units_per_unit": text(Decimal(factor.numerator) / factor.denominator)
            if factor.denominator == 1
            else str(factor),
            "quantity": text(charge.quantity),
            "covered_by_allowance": text(charge.covered),
            "priced_before_in_period": text(charge.before),
            "committed_not_used": text(charge.true_up),
            "over": str(found.over) if isinstance(found, UsageRate | SpendCommitment) else "",
            "subscribed_quantity": names.rated.lines[charge.line].row.quantity,
            "advance": charge.advance,
            "blocks": [
                {
                    "from": text(block.from_quantity),
                    "quantity": text(block.quantity),
                    "in_units": text(round_half_up(Fraction(block.quantity) / block.factor, QUANTITY_PLACES)),
                    "price": text(block.price),
                    "amount": text(round_half_up(block.amount, AMOUNT_PLACES)),
                }
                for block in charge.blocks
            ],
            "adjustments": [{"kind": each.kind, "amount": text(each.amount)} for each in charge.adjustments],
            "amount": text(charge.amount),
            "attribute_sets": list(charge.attributes),
        }
        if charge.shared is not None:
            shown["shared"] = {"quantity": text(charge.shared.quantity), "amount": text(charge.shared.amount)}
        shown |= _composites_of(charge, names)
        if isinstance(found, SpreadRate):
            shown |= {"spread_by": found.by, "key": text(charge.key)}
        if charge.kind == "overhead":
            shown["percent"] = text(version.overhead)
        if isinstance(found, UsageRate) and isinstance(found.pricing, Markup) and charge.kind in KINDS.values():
            cost = _cost_of(charge, found.pricing)
            shown |= {"percent": text(found.pricing.percent), "cost": cost, "priced_before_in_period": "0"}
        if charge.kind == "discount":
            discount = next((each for each in version.discounts if each.slug == charge.rate), None)
            shown["percent"] = text(discount.percent) if discount and discount.percent is not None else None
        return shown


def _composites_of(charge: Charge, names: LineNames) -> dict[str, list[str]]:
    """The composites of whose components a charge is, and those of which it lacks hours."""
    of = {names.composites[each] for each in charge.attributes if each in names.composites}
    line, meter = names.rated.lines[charge.line].row.id, charge.meter or ""
    lacking = {name for each in charge.attributes for name in names.as_components.get((line, meter, each), ())}
    return {name: sorted(each) for name, each in (("composites", of), ("as_components", lacking)) if each}


def _cost_of(charge: Charge, markup: Markup) -> dict[str, Any]:
    """The cost that is marked up; where that is in another currency, also as it was stated and by what exchanged."""
    cost: dict[str, Any] = {"basis": str(markup.of), "amount": text(charge.before)}
    if charge.exchange:
        cost |= {
            "stated": text(unscaled(scaled(charge.quantity, QUANTITY_PLACES), AMOUNT_PLACES)),
            "currency": charge.version.currency,
            "exchange": [{"since": f"{since}", "rate": text(rate)} for since, rate in charge.exchange],
        }
    return cost | ({"estimated": text(charge.estimated)} if charge.estimated else {})
