"""Offers as they are written."""

from collections.abc import Iterable, Mapping
from typing import Annotated, Any

from pydantic import Discriminator, Tag

from gradumen.core.catalogue.offers import EVERYBODY, Floor, Offer
from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Invalid
from gradumen.core.exact import minor_units, text
from gradumen.core.mistakes import Mistakes, at
from gradumen.core.names import name_of, slug_of
from gradumen.core.units import convertible
from gradumen.wire.catalogue.forms.base import (
    Form,
    LongText,
    Name,
    Price,
    Slug,
    Written,
    checked,
    meter_of,
    read,
    text_schema,
)
from gradumen.wire.catalogue.forms.rates import Known


def _reached(raw: Any, field: str) -> str:
    organisation, slash, project = str(raw).partition("/")
    slug_of(organisation, field=field)
    if slash:
        slug_of(project, field=field)
    return str(raw)


def _everybody(raw: Any, field: str) -> str:
    if raw not in EVERYBODY:
        message = f"to is one of {', '.join(EVERYBODY)}, or a list of organisations and organisation/project"
        raise Invalid(message, field=field, value=raw)
    return str(raw)


def _list_or(raw: Any) -> str:
    return "<list>" if isinstance(raw, list | tuple) else "<word>"


To = Annotated[
    Annotated[str, checked(_everybody), text_schema(enum=list(EVERYBODY)), Tag("<word>")]
    | Annotated[list[Annotated[str, checked(_reached)]], Tag("<list>")],
    Discriminator(_list_or),
]
"""``all``, ``resellers``, ``tenants``, or organisations and projects."""


def _map_or(raw: Any) -> str:
    return "<names>" if isinstance(raw, Mapping) else "<list>"


Tiers = Annotated[
    Annotated[list[Written], Tag("<list>")] | Annotated[dict[str, Written | None], Tag("<names>")],
    Discriminator(_map_or),
]
"""Tiers on offer: a list, or each with its name here."""


class FloorForm(Form):
    """A price below which nobody may resell: of a meter per unit, or of a tier's fee per month."""

    currency: Written
    price: Price
    meter: Written | None = None
    per: Written | None = None
    tier: Written | None = None

    def value(self, plan: Plan, known: Known) -> Floor:
        """The floor.

        Raises:
            Invalid: neither of a meter nor of a tier of the plan.
        """
        minor_units(self.currency)
        if self.tier is not None:
            if self.meter is not None:
                raise Invalid("a floor is for a meter or for a tier", field="tier")
            return Floor(self.currency, self.price, tier=plan.tier(self.tier).slug)
        if self.meter is None or self.per is None:
            raise Invalid("a floor has a meter with per, or a tier", field="meter")
        meter = meter_of(self.meter, known.meters)
        if meter.slug.partition("/")[0] not in plan.services:
            raise Invalid(f"meter '{meter.slug}' belongs to no service of this plan", field="meter", value=meter.slug)
        unit = convertible(self.per, meter.unit, counted=meter.counted, field="per")
        return Floor(self.currency, self.price, meter.slug, unit)


class OfferForm(Form):
    """Which tiers of a plan a seller sells to whom, under which names."""

    offer: Slug
    to: To = "all"
    tiers: Tiers | None = None
    name: Name | None = None
    description: LongText = ""
    recommended: Written | None = None
    floors: list[FloorForm] = []

    def value(self, plan: Plan, known: Known, allowed: Iterable[str]) -> Offer:
        """The offer; see `read_offer`."""
        mistakes = Mistakes()
        tiers = self._tiers(plan, set(allowed))
        if self.recommended is not None and self.recommended not in tiers:
            message = f"the recommended tier '{self.recommended[:60]}' is not one that is offered"
            raise Invalid(message, field="recommended", value=self.recommended)
        floors = []
        for index, floor in enumerate(self.floors):
            with mistakes.at(f"floors[{index}]"):
                floors.append(floor.value(plan, known))
        mistakes.tell()
        return Offer(
            plan=plan.slug,
            to=self.to if isinstance(self.to, str) else tuple(self.to),
            tiers=tiers,
            name=self.name or plan.name,
            description=self.description or plan.description,
            recommended=self.recommended,
            floors=tuple(floors),
        )

    def _tiers(self, plan: Plan, may: set[str]) -> dict[str, str]:
        """The tiers on offer with their names, in the plan's order."""
        may_sell = [tier for tier in plan.tiers if tier.slug in may]
        if self.tiers is None:
            return {tier.slug: tier.name for tier in may_sell}
        named = self.tiers if isinstance(self.tiers, dict) else dict.fromkeys(self.tiers)
        chosen: dict[str, str] = {}
        for tier, name in named.items():
            with at(f"tiers.{tier}"):
                if tier not in may:
                    known_tiers = ", ".join(each.slug for each in may_sell) or "none"
                    message = f"tier '{tier[:60]}' is none that you may sell; those are: {known_tiers}"
                    raise Invalid(message, field="tiers", value=tier)
                chosen[tier] = name_of(name, field="name") if name else plan.tier(tier).name
        return {tier.slug: chosen[tier.slug] for tier in plan.tiers if tier.slug in chosen}


def read_offer(form: object, plan: Plan, known: Known, allowed: Iterable[str]) -> Offer:
    """Read an offer of a plan.

    Args:
        plan: as the seller knows it; its names hold where the offer has none of its own.
        allowed: the tiers that the seller may sell.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    return read(OfferForm, form).value(plan, known, allowed)


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
