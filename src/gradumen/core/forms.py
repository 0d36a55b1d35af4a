"""The written forms of services, plans and rate cards: plain data in, checked values out, and back.

The forms are documented in `docs/formats.md`. Problems name the path inside the form.
"""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any, TypeVar

from gradumen.core.catalogue import (
    Allowance,
    Attribute,
    Combine,
    DefaultQuota,
    Meter,
    Plan,
    Service,
    Tier,
    name_of,
    slug_of,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, number, text
from gradumen.core.quotas import Measure
from gradumen.core.rates import Block, Blocks, Rate, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.units import Unit, convertible, parse_unit

Form = Mapping[str, Any]
T = TypeVar("T")
BUYERS = ("any", "resellers", "tenants", "own-use")


@contextmanager
def at(path: str) -> Iterator[None]:
    """Put ``path`` before the path of any problem inside."""
    try:
        yield
    except Invalid as problem:
        inner = problem.facts.get("path", "")
        problem.facts["path"] = path if not inner else f"{path}{'' if inner.startswith('[') else '.'}{inner}"
        raise


def _fields(form: object, required: tuple[str, ...], optional: tuple[str, ...] = ()) -> Form:
    if not isinstance(form, Mapping):
        raise Invalid(f"this must have the fields {', '.join(required)}")
    for name in required:
        if name not in form:
            raise Invalid(f"'{name}' is missing; add it", field=name)
    for name in form:
        if name not in (*required, *optional):
            known = ", ".join((*required, *optional))
            raise Invalid(f"'{str(name)[:60]}' is not a field here; use one of {known}", field=str(name)[:60])
    return form


def _each(form: Form, name: str, read: Callable[[Any], T]) -> tuple[T, ...]:
    items = form.get(name) or ()
    if not isinstance(items, list | tuple):
        with at(name):
            raise Invalid(f"'{name}' must be a list", field=name)
    found: list[T] = []
    for index, item in enumerate(items):
        with at(f"{name}[{index}]"):
            found.append(read(item))
    return tuple(found)


def _pairs(form: Form, name: str) -> Iterator[tuple[str, Any]]:
    items = form.get(name) or {}
    if not isinstance(items, Mapping):
        with at(name):
            raise Invalid(f"'{name}' must be a mapping", field=name)
    yield from ((str(key), value) for key, value in items.items())


def _long_text(form: Form, name: str) -> str:
    raw = form.get(name, "")
    if not isinstance(raw, str) or len(raw) > 2000:
        raise Invalid(f"{name} is a text of at most 2000 characters", field=name)
    return raw.strip()


def read_service(form: object) -> Service:
    """Read a service.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = _fields(form, ("service", "name", "category", "subcategory", "meters"), ("attributes", "description"))
    slug = slug_of(fields["service"], field="service")
    meters: list[Meter] = []
    for key, raw in _pairs(fields, "meters"):
        with at(f"meters.{key}"):
            meter = _fields(raw, ("name", "unit", "combine"), ("counted",))
            counted = None if meter.get("counted") is None else name_of(meter["counted"], field="counted", most=40)
            try:
                combine = Combine(meter["combine"])
            except ValueError:
                known = ", ".join(Combine)
                raise Invalid(f"combine must be one of {known}", field="combine", value=meter["combine"]) from None
            meters.append(
                Meter(
                    f"{slug}/{slug_of(key, field='meter')}",
                    name_of(meter["name"], field="name"),
                    parse_unit(str(meter["unit"]), counted=counted),
                    combine,
                    counted,
                )
            )
    attributes: list[Attribute] = []
    for key, raw in _pairs(fields, "attributes"):
        with at(f"attributes.{key}"):
            if not isinstance(raw, list | tuple):
                raise Invalid("an attribute has a list of allowed values; an empty one allows any", field=key)
            values = tuple(name_of(value, field="value", most=60) for value in raw)
            attributes.append(Attribute(slug_of(key, field="attribute"), values))
    return Service(
        slug,
        name_of(fields["name"], field="name"),
        name_of(fields["category"], field="category"),
        name_of(fields["subcategory"], field="subcategory"),
        tuple(meters),
        tuple(attributes),
        _long_text(fields, "description"),
    )


def service_form(service: Service) -> dict[str, Any]:
    """The inverse of `read_service`."""
    return {
        "service": service.slug,
        "name": service.name,
        "description": service.description,
        "category": service.category,
        "subcategory": service.subcategory,
        "attributes": {attribute.slug: list(attribute.values) for attribute in service.attributes},
        "meters": {
            meter.slug.partition("/")[2]: {
                "name": meter.name,
                "unit": meter.unit.text,
                "combine": str(meter.combine),
                **({"counted": meter.counted} if meter.counted else {}),
            }
            for meter in service.meters
        },
    }


def read_plan(form: object, meters: Mapping[str, Meter], services: Mapping[str, Service]) -> Plan:
    """Read a plan whose services and meters are known.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = _fields(form, ("plan", "name", "services", "tiers"), ("description",))

    def read_service_slug(raw: Any) -> str:
        if raw not in services:
            raise Invalid(f"service '{str(raw)[:60]}' is not known; publish it first or with this", field="services")
        return str(raw)

    names = _each(fields, "services", read_service_slug)

    def read_tier(raw: Any) -> Tier:
        tier = _fields(raw, ("tier", "name"), ("allowances", "quotas", "description"))
        allowances: list[Allowance] = []
        for key, value in _pairs(tier, "allowances"):
            with at(f"allowances.{key}"):
                meter = _meter(key, meters)
                if key.partition("/")[0] not in names:
                    raise Invalid(f"meter '{key}' belongs to no service of this plan", field="allowances")
                quantity, unit = _quantity(value, meter)
                allowances.append(Allowance(key, quantity, unit.text))
        quotas: list[DefaultQuota] = []
        for key, value in _pairs(tier, "quotas"):
            with at(f"quotas.{key}"):
                if key not in list(Measure):
                    raise Invalid(f"measure '{key}' is not one of {', '.join(Measure)}", field="quotas", value=key)
                quotas.append(DefaultQuota(key, number(value, field="limit", places=QUANTITY_PLACES)))
        return Tier(
            slug_of(tier["tier"], field="tier"),
            name_of(tier["name"], field="name"),
            tuple(allowances),
            tuple(quotas),
            _long_text(tier, "description"),
        )

    return Plan(
        slug_of(fields["plan"], field="plan"),
        name_of(fields["name"], field="name"),
        names,
        _each(fields, "tiers", read_tier),
        _long_text(fields, "description"),
    )


def plan_form(plan: Plan) -> dict[str, Any]:
    """The inverse of `read_plan`."""
    return {
        "plan": plan.slug,
        "name": plan.name,
        "description": plan.description,
        "services": list(plan.services),
        "tiers": [
            {
                "tier": tier.slug,
                "name": tier.name,
                "description": tier.description,
                "allowances": {each.meter: f"{text(each.quantity)} {each.unit}" for each in tier.allowances},
                "quotas": {each.measure: text(each.limit) for each in tier.quotas},
            }
            for tier in plan.tiers
        ],
    }


def base_allowances(plan: Plan, tier: str, meters: Mapping[str, Meter]) -> dict[str, Decimal]:
    """A tier's allowances per meter, in base units."""
    found: dict[str, Decimal] = {}
    for each in plan.tier(tier).allowances:
        unit = convertible(each.unit, meters[each.meter].unit, counted=meters[each.meter].counted)
        found[each.meter] = _whole(Fraction(each.quantity) * unit.factor, "allowances")
    return found


def read_rate_card(
    form: object, meters: Mapping[str, Meter], services: Mapping[str, Service], plans: Mapping[str, Plan], version: int
) -> tuple[str, str, RateCardVersion]:
    """Read a rate card's version: its name, whom it is for, and the version.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = _fields(form, ("rate-card", "name", "currency", "starts-on", "rates"), ("for",))
    buyers = fields.get("for", "any")
    if buyers not in BUYERS:
        raise Invalid(f"for must be one of {', '.join(BUYERS)}", field="for", value=buyers)
    try:
        starts_on = date.fromisoformat(str(fields["starts-on"]))
    except ValueError:
        raise Invalid(
            "starts-on must be a day, like 2026-01-01", field="starts-on", value=str(fields["starts-on"])
        ) from None
    rates = _each(fields, "rates", lambda raw: _read_rate(raw, meters, services, plans))
    card = slug_of(fields["rate-card"], field="rate-card")
    found = RateCardVersion(card, version, str(fields["currency"]), starts_on, rates)
    return name_of(fields["name"], field="name"), str(buyers), found


def _read_rate(
    raw: Any, meters: Mapping[str, Meter], services: Mapping[str, Service], plans: Mapping[str, Plan]
) -> Rate:
    if isinstance(raw, Mapping) and "fee" in raw:
        fee = _fields(raw, ("rate", "fee", "price"))
        plan, _, tier = str(fee["fee"]).partition("/")
        if plan not in plans:
            raise Invalid(f"plan '{plan[:60]}' is not known; write plan/tier", field="fee", value=fee["fee"])
        plans[plan].tier(tier)
        return RecurringRate(slug_of(fee["rate"], field="rate"), plan, tier, _price(fee["price"]))
    rate = _fields(raw, ("rate", "meter", "per"), ("where", "price", "blocks"))
    meter = _meter(rate["meter"], meters)
    unit = convertible(str(rate["per"]), meter.unit, counted=meter.counted, field="per")
    if ("price" in rate) == ("blocks" in rate):
        raise Invalid("a rate has either a price or blocks", field="price")
    if "price" in rate:
        steps: tuple[Block, ...] = (Block(None, _price(rate["price"])),)
    else:
        steps = _each(rate, "blocks", lambda each: _read_block(each, unit))
    allowed = {attribute.slug: attribute.values for attribute in services[meter.slug.partition("/")[0]].attributes}
    match: list[tuple[str, str]] = []
    for key, value in _pairs(rate, "where"):
        with at(f"where.{key}"):
            if key not in allowed:
                known = ", ".join(allowed) or "none"
                raise Invalid(f"attribute '{key}' is not one of the service's: {known}", field="where", value=key)
            if allowed[key] and value not in allowed[key]:
                raise Invalid(f"'{value}' is not one of {', '.join(allowed[key])}", field="where", value=value)
            match.append((key, str(value)))
    with at("blocks"):
        blocks = Blocks(steps)
    return UsageRate(slug_of(rate["rate"], field="rate"), meter.slug, unit, blocks, tuple(sorted(match)))


def _read_block(raw: Any, unit: Unit) -> Block:
    block = _fields(raw, ("price",), ("up-to",))
    upto = None
    if "up-to" in block:
        upto = number(block["up-to"], field="up-to", places=QUANTITY_PLACES)
        _whole(Fraction(upto) * unit.factor, "up-to")
    return Block(upto, _price(block["price"]))


def rate_card_form(name: str, buyers: str, version: RateCardVersion) -> dict[str, Any]:
    """The inverse of `read_rate_card`."""
    return {
        "rate-card": version.card,
        "name": name,
        "for": buyers,
        "currency": version.currency,
        "starts-on": version.starts_on.isoformat(),
        "rates": [_rate_form(rate) for rate in version.rates],
    }


def _rate_form(rate: Rate) -> dict[str, Any]:
    if isinstance(rate, RecurringRate):
        return {"rate": rate.slug, "fee": f"{rate.plan}/{rate.tier}", "price": text(rate.price)}
    steps = rate.blocks.steps
    prices: dict[str, Any] = (
        {"price": text(steps[0].price)}
        if len(steps) == 1
        else {
            "blocks": [
                {**({} if step.upto is None else {"up-to": text(step.upto)}), "price": text(step.price)}
                for step in steps
            ]
        }
    )
    return {
        "rate": rate.slug,
        "meter": rate.meter,
        "where": dict(rate.match),
        "per": rate.unit.text,
        **prices,
    }


def _meter(raw: object, meters: Mapping[str, Meter]) -> Meter:
    if raw not in meters:
        raise Invalid(f"meter '{str(raw)[:80]}' is not known; write service/meter", field="meter", value=raw)
    return meters[str(raw)]


def _quantity(raw: object, meter: Meter) -> tuple[Decimal, Unit]:
    amount, _, unit_text = str(raw).strip().partition(" ")
    quantity = number(amount, field="quantity", places=QUANTITY_PLACES)
    if quantity < 0:
        raise Invalid(f"'{raw}' is negative", field="quantity", value=raw)
    unit = convertible(unit_text.strip(), meter.unit, counted=meter.counted)
    _whole(Fraction(quantity) * unit.factor, "quantity")
    return quantity, unit


def _price(raw: object) -> Decimal:
    price = number(raw, field="price", places=AMOUNT_PLACES)
    if price < 0:
        raise Invalid(f"price {text(price)} is negative; only discounts lower a price", field="price", value=raw)
    return price


def _whole(base: Fraction, field: str) -> Decimal:
    millionths, lost = divmod(base.numerator * 10**QUANTITY_PLACES, base.denominator)
    if lost:
        raise Invalid("this ends inside the smallest quantity of the meter; use a rounder figure", field=field)
    return Decimal(millionths).scaleb(-QUANTITY_PLACES)
