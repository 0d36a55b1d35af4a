"""Offers: which tiers of a plan a seller sells to whom, under which names, and below which prices nobody may resell.

A buyer may order what its seller offers to it; a reseller may offer on what is offered to it, and plans of its own.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import Any

from gradumen.core.catalogue import Plan, name_of, slug_of
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, minor_units, number, round_half_up, text
from gradumen.core.forms import at, each_of, fields_of, long_text, meter_of, pairs_of
from gradumen.core.rate_forms import Known
from gradumen.core.rates import Blocks, Lots, Markup, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.units import Unit, convertible

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


def read_offer(form: object, plan: Plan, known: Known, allowed: Iterable[str]) -> Offer:
    """Read an offer of a plan.

    Args:
        plan: as the seller knows it; its names hold where the offer has none of its own.
        allowed: the tiers that the seller may sell.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    optional = ("to", "tiers", "name", "description", "recommended", "floors")
    fields = fields_of(form, ("offer",), optional)
    may = set(allowed)
    may_sell = [tier for tier in plan.tiers if tier.slug in may]
    chosen: dict[str, str] = {tier.slug: tier.name for tier in may_sell}
    if fields.get("tiers") is not None:
        chosen = {}
        for tier, raw in _tier_names(fields):
            with at(f"tiers.{tier}"):
                if tier not in may:
                    known_tiers = ", ".join(each.slug for each in may_sell) or "none"
                    message = f"tier '{tier[:60]}' is none that you may sell; those are: {known_tiers}"
                    raise Invalid(message, field="tiers", value=tier)
                chosen[tier] = name_of(raw, field="name") if raw else plan.tier(tier).name
    tiers = {tier.slug: chosen[tier.slug] for tier in plan.tiers if tier.slug in chosen}
    recommended = fields.get("recommended")
    if recommended is not None and str(recommended) not in tiers:
        message = f"the recommended tier '{str(recommended)[:60]}' is not one that is offered"
        raise Invalid(message, field="recommended", value=recommended)
    return Offer(
        plan=plan.slug,
        to=_read_to(fields),
        tiers=tiers,
        name=name_of(fields["name"], field="name") if fields.get("name") else plan.name,
        description=long_text(fields, "description") or plan.description,
        recommended=recommended,
        floors=each_of(fields, "floors", lambda raw: _read_floor(raw, plan, known)),
    )


def _tier_names(fields: Mapping[str, Any]) -> list[tuple[str, Any]]:
    if isinstance(fields["tiers"], list | tuple):
        return [(str(each), None) for each in fields["tiers"]]
    return list(pairs_of(fields, "tiers"))


def _read_to(fields: Mapping[str, Any]) -> str | tuple[str, ...]:
    raw = fields.get("to", "all")
    if isinstance(raw, str):
        if raw not in EVERYBODY:
            message = f"to is one of {', '.join(EVERYBODY)}, or a list of organisations and organisation/project"
            raise Invalid(message, field="to", value=raw)
        return raw

    def reached(each: Any) -> str:
        organisation, slash, project = str(each).partition("/")
        slug_of(organisation, field="to")
        if slash:
            slug_of(project, field="to")
        return str(each)

    return each_of(fields, "to", reached)


def _read_floor(raw: Any, plan: Plan, known: Known) -> Floor:
    fields = fields_of(raw, ("currency", "price"), ("meter", "per", "tier"))
    currency = str(fields["currency"])
    minor_units(currency)
    price = number(fields["price"], field="price", places=AMOUNT_PLACES)
    if price < 0:
        raise Invalid(f"a floor of {price} is negative", field="price", value=price)
    if "tier" in fields:
        if "meter" in fields:
            raise Invalid("a floor is for a meter or for a tier", field="tier")
        return Floor(currency, price, tier=plan.tier(str(fields["tier"])).slug)
    if "meter" not in fields or "per" not in fields:
        raise Invalid("a floor has a meter with per, or a tier", field="meter")
    meter = meter_of(fields["meter"], known.meters)
    if meter.slug.partition("/")[0] not in plan.services:
        raise Invalid(f"meter '{meter.slug}' belongs to no service of this plan", field="meter", value=meter.slug)
    unit = convertible(str(fields["per"]), meter.unit, counted=meter.counted, field="per")
    return Floor(currency, price, meter.slug, unit)


def offer_form(offer: Offer) -> dict[str, Any]:
    """The inverse of `read_offer`, with every name written out."""
    form: dict[str, Any] = {
        "offer": offer.plan,
        "to": offer.to if isinstance(offer.to, str) else list(offer.to),
        "name": offer.name,
        "description": offer.description,
        "tiers": dict(offer.tiers),
    }
    if offer.recommended:
        form["recommended"] = offer.recommended
    if offer.floors:
        form["floors"] = [_floor_form(floor) for floor in offer.floors]
    return form


def _floor_form(floor: Floor) -> dict[str, str]:
    what = {"tier": floor.tier} if floor.tier else {"meter": floor.meter, "per": floor.unit.text if floor.unit else ""}
    return {**{key: value or "" for key, value in what.items()}, "currency": floor.currency, "price": text(floor.price)}


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
