"""Offers: which tiers of a plan a seller sells to whom, under which names, and below which prices nobody may resell.

A buyer may order what its seller offers to it; a reseller may offer on what is offered to it, and plans of its own.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import Any

from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.rates import Blocks, Lots, Markup, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, round_half_up, text
from gradumen.core.mistakes import at
from gradumen.core.units import Unit

EVERYBODY = ("all", "resellers", "tenants")


@dataclass(frozen=True, slots=True)
class Floor:
    """A price below which buyers may not resell: of a meter per ``unit``, or of a tier's fee per month."""

    currency: str
    price: Decimal
    meter: str | None = None
    unit: Unit | None = None
    tier: str | None = None


@dataclass(frozen=True, slots=True)
class Offer:
    """A seller's offer of a plan; ``tiers`` in the plan's order, each with its name here.

    ``to`` is ``all``, ``resellers``, ``tenants``, or organisations and projects (``organisation/project``) by slug.
    An empty ``to`` takes the plan off sale. ``recommended`` is the tier that the seller recommends.
    """

    plan: str
    to: str | tuple[str, ...]
    tiers: Mapping[str, str]
    name: str
    description: str
    recommended: str | None = None
    floors: tuple[Floor, ...] = ()

    def reaches(self, organisation: str, type: str, project: str | None = None) -> bool:
        """Whether an organisation (of type ``reseller`` or ``tenant``), or one of its projects, may order it.

        What is offered to a project alone may be ordered for that project only.
        """
        if isinstance(self.to, str):
            return self.to in ("all", f"{type}s")
        return organisation in self.to or (project is not None and f"{organisation}/{project}" in self.to)

    def concerns(self, organisation: str, type: str) -> bool:
        """Whether an organisation or one of its projects may order it."""
        if isinstance(self.to, str):
            return self.reaches(organisation, type)
        return any(each.partition("/")[0] == organisation for each in self.to)


def renamed(plan: Plan, offer: Offer) -> Plan:
    """A plan under the names of an offer; tiers that are not offered keep theirs."""
    tiers = tuple(replace(tier, name=offer.tiers.get(tier.slug, tier.name)) for tier in plan.tiers)
    return replace(plan, name=offer.name, description=offer.description, tiers=tiers)


def check_floors(card: RateCardVersion, offers: Iterable[Offer]) -> None:
    """Check that a card to resell by has no price below a floor of what its seller is offered.

    A rate's lowest price counts, after all percentage discounts that concern it together; a discount of an amount is
    not allowed on what has a floor, since it has no lowest price. Allowances do not count.

    Raises:
        Invalid: names the rate, its lowest price and the floor.
    """
    for offer in offers:
        for floor in offer.floors:
            if floor.currency != card.currency:
                continue
            for index, rate in enumerate(card.rates):
                lowest = _lowest(rate, floor, offer.plan)
                if lowest is None:
                    continue
                service = floor.meter.partition("/")[0] if floor.meter else None
                for discount in card.discounts:
                    if discount.covers(rate.slug, service):
                        if discount.percent is None:
                            message = f"discount '{discount.slug}' takes an amount off what has a floor; use percent"
                            raise Invalid(message, field="discounts", value=discount.slug)
                        lowest *= 1 - Fraction(discount.percent) / 100
                if lowest < Fraction(floor.price):
                    with at(f"rates[{index}]"):
                        per = floor.unit.text if floor.unit else "month"
                        reached = text(round_half_up(lowest, AMOUNT_PLACES))
                        raise Invalid(
                            f"rate '{rate.slug}' goes down to {reached} {card.currency} per {per}; your supplier's "
                            f"floor is {text(floor.price)}",
                            field="price",
                            value=rate.slug,
                        )


def _lowest(rate: Any, floor: Floor, plan: str) -> Fraction | None:
    """A rate's lowest price in a floor's unit, before discounts; None if the floor is not about it."""
    if isinstance(rate, RecurringRate) and floor.tier is not None:
        months = rate.every.months
        return Fraction(rate.price) / months if (rate.plan, rate.tier) == (plan, floor.tier) and months else None
    if not isinstance(rate, UsageRate) or rate.meter != floor.meter or floor.unit is None:
        return None
    match rate.pricing:
        case Blocks(steps):
            price = min(Fraction(step.price) for step in steps) / rate.unit.factor
        case Lots(size, each):
            price = Fraction(each) / (Fraction(size) * rate.unit.factor)
        case Markup():
            return None
    return price * floor.unit.factor
