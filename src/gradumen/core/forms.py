"""The written forms of services and plans: plain data in, checked values out, and back.

The forms are documented in `docs/formats.md`. Problems name the path inside the form.
"""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
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
from gradumen.core.exact import QUANTITY_PLACES, number, text
from gradumen.core.quotas import Measure
from gradumen.core.units import Unit, convertible, parse_unit

Form = Mapping[str, Any]
T = TypeVar("T")


@contextmanager
def at(path: str) -> Iterator[None]:
    """Put ``path`` before the path of any problem inside."""
    try:
        yield
    except Invalid as problem:
        inner = problem.facts.get("path", "")
        problem.facts["path"] = path if not inner else f"{path}{'' if inner.startswith('[') else '.'}{inner}"
        raise


def fields_of(form: object, required: tuple[str, ...], optional: tuple[str, ...] = ()) -> Form:
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


def each_of(form: Form, name: str, read: Callable[[Any], T]) -> tuple[T, ...]:
    items = form.get(name) or ()
    if not isinstance(items, list | tuple):
        with at(name):
            raise Invalid(f"'{name}' must be a list", field=name)
    found: list[T] = []
    for index, item in enumerate(items):
        with at(f"{name}[{index}]"):
            found.append(read(item))
    return tuple(found)


def pairs_of(form: Form, name: str) -> Iterator[tuple[str, Any]]:
    items = form.get(name) or {}
    if not isinstance(items, Mapping):
        with at(name):
            raise Invalid(f"'{name}' must be a mapping", field=name)
    yield from ((str(key), value) for key, value in items.items())


def long_text(form: Form, name: str) -> str:
    raw = form.get(name, "")
    if not isinstance(raw, str) or len(raw) > 2000:
        raise Invalid(f"{name} is a text of at most 2000 characters", field=name)
    return raw.strip()


def read_service(form: object) -> Service:
    """Read a service.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = fields_of(form, ("service", "name", "category", "subcategory", "meters"), ("attributes", "description"))
    slug = slug_of(fields["service"], field="service")
    meters: list[Meter] = []
    for key, raw in pairs_of(fields, "meters"):
        with at(f"meters.{key}"):
            meter = fields_of(raw, ("name", "unit", "combine"), ("counted",))
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
    for key, raw in pairs_of(fields, "attributes"):
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
        long_text(fields, "description"),
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
    fields = fields_of(form, ("plan", "name", "services", "tiers"), ("description",))

    def read_service_slug(raw: Any) -> str:
        if raw not in services:
            raise Invalid(f"service '{str(raw)[:60]}' is not known; publish it first or with this", field="services")
        return str(raw)

    names = each_of(fields, "services", read_service_slug)

    def read_tier(raw: Any) -> Tier:
        tier = fields_of(raw, ("tier", "name"), ("allowances", "quotas", "description"))
        allowances: list[Allowance] = []
        for key, value in pairs_of(tier, "allowances"):
            with at(f"allowances.{key}"):
                meter = meter_of(key, meters)
                if key.partition("/")[0] not in names:
                    raise Invalid(f"meter '{key}' belongs to no service of this plan", field="allowances")
                quantity, unit = quantity_of(value, meter)
                allowances.append(Allowance(key, quantity, unit.text))
        quotas: list[DefaultQuota] = []
        for key, value in pairs_of(tier, "quotas"):
            with at(f"quotas.{key}"):
                if key not in list(Measure):
                    raise Invalid(f"measure '{key}' is not one of {', '.join(Measure)}", field="quotas", value=key)
                quotas.append(DefaultQuota(key, number(value, field="limit", places=QUANTITY_PLACES)))
        return Tier(
            slug_of(tier["tier"], field="tier"),
            name_of(tier["name"], field="name"),
            tuple(allowances),
            tuple(quotas),
            long_text(tier, "description"),
        )

    return Plan(
        slug_of(fields["plan"], field="plan"),
        name_of(fields["name"], field="name"),
        names,
        each_of(fields, "tiers", read_tier),
        long_text(fields, "description"),
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
        found[each.meter] = whole_of(Fraction(each.quantity) * unit.factor, "allowances")
    return found


def meter_of(raw: object, meters: Mapping[str, Meter]) -> Meter:
    if raw not in meters:
        raise Invalid(f"meter '{str(raw)[:80]}' is not known; write service/meter", field="meter", value=raw)
    return meters[str(raw)]


def quantity_of(raw: object, meter: Meter) -> tuple[Decimal, Unit]:
    amount, _, unit_text = str(raw).strip().partition(" ")
    quantity = number(amount, field="quantity", places=QUANTITY_PLACES)
    if quantity < 0:
        raise Invalid(f"'{raw}' is negative", field="quantity", value=raw)
    unit = convertible(unit_text.strip(), meter.unit, counted=meter.counted)
    whole_of(Fraction(quantity) * unit.factor, "quantity")
    return quantity, unit


def whole_of(base: Fraction, field: str) -> Decimal:
    millionths, lost = divmod(base.numerator * 10**QUANTITY_PLACES, base.denominator)
    if lost:
        raise Invalid("this ends inside the smallest quantity of the meter; use a rounder figure", field=field)
    return Decimal(millionths).scaleb(-QUANTITY_PLACES)
