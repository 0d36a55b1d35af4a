"""The written forms of services and plans: plain data in, checked values out, and back.

The forms are documented in `docs/formats.md`. Problems name the path inside the form.
"""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from decimal import Decimal
from enum import StrEnum
from typing import Any, TypeVar

from gradumen.core.catalogue import (
    LEVELS,
    PHASES,
    Allowance,
    Attribute,
    Choice,
    Combine,
    DefaultQuota,
    Level,
    Licence,
    Meter,
    Plan,
    Service,
    Size,
    Tier,
    Trial,
    check_bundle,
    name_of,
    slug_of,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, number, text, unscaled
from gradumen.core.quotas import Measure
from gradumen.core.sampling import ADDITIVE, Across, Sampling, Statistic, Window
from gradumen.core.units import Unit, convertible, parse_unit, smallest

Form = Mapping[str, Any]
T = TypeVar("T")
E = TypeVar("E", bound=StrEnum)


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


def choice_of(kind: type[E], raw: Any, field: str) -> E:
    """Read one of an enumeration's values."""
    try:
        return kind(raw)
    except ValueError:
        raise Invalid(f"{field} must be one of {', '.join(kind)}", field=field, value=raw) from None


def long_text(form: Form, name: str) -> str:
    raw = form.get(name, "")
    if not isinstance(raw, str) or len(raw) > 2000:
        raise Invalid(f"{name} is a text of at most 2000 characters", field=name)
    return raw.strip()


_SERVICE_OPTIONAL = (
    "attributes",
    "description",
    "phases",
    "choices",
    "sizes",
    "requires",
    "excludes",
    "supplier",
    "licence",
    "internal",
)


def read_service(form: object) -> Service:
    """Read a service.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = fields_of(form, ("service", "name", "category", "subcategory", "meters"), _SERVICE_OPTIONAL)
    slug = slug_of(fields["service"], field="service")
    if slug == "promised":
        raise Invalid("'promised' names what quotas promise; choose another slug", field="service", value=slug)
    sizes = fields.get("sizes")
    return Service(
        slug,
        name_of(fields["name"], field="name"),
        name_of(fields["category"], field="category"),
        name_of(fields["subcategory"], field="subcategory"),
        tuple(_named(fields, "meters", lambda key, raw: _read_meter(slug, key, raw))),
        tuple(_named(fields, "attributes", _read_attribute)),
        long_text(fields, "description"),
        each_of(fields, "phases", lambda raw: slug_of(raw, field="phases")) or PHASES,
        tuple(_named(fields, "choices", _read_choice)),
        () if isinstance(sizes, str) else tuple(_named(fields, "sizes", _read_size)),
        slug_of(sizes, field="sizes") if isinstance(sizes, str) else None,
        each_of(fields, "requires", lambda raw: slug_of(raw, field="requires")),
        each_of(fields, "excludes", lambda raw: slug_of(raw, field="excludes")),
        name_of(fields["supplier"], field="supplier") if fields.get("supplier") else "",
        choice_of(Licence, fields.get("licence", "none"), "licence"),
        tuple(_named(fields, "internal", lambda key, raw: (key, name_of(raw, field=key, most=400)))),
    )


def _named(form: Form, name: str, read: Callable[[str, Any], T]) -> Iterator[T]:
    for key, raw in pairs_of(form, name):
        with at(f"{name}.{key}"):
            yield read(key, raw)


def _read_meter(service: str, key: str, raw: Any) -> Meter:
    meter = fields_of(raw, ("name", "unit", "combine"), ("counted", "statistic", "window", "across"))
    counted = None if meter.get("counted") is None else name_of(meter["counted"], field="counted", most=40)
    return Meter(
        f"{service}/{slug_of(key, field='meter')}",
        name_of(meter["name"], field="name"),
        parse_unit(str(meter["unit"]), counted=counted),
        choice_of(Combine, meter["combine"], "combine"),
        counted,
        Sampling(
            choice_of(Statistic, meter.get("statistic", "sum"), "statistic"),
            choice_of(Window, meter.get("window", "hour"), "window"),
            choice_of(Across, meter.get("across", "sum"), "across"),
        ),
    )


def _read_attribute(key: str, raw: Any) -> Attribute:
    if not isinstance(raw, list | tuple):
        raise Invalid("an attribute has a list of allowed values; an empty one allows any", field=key)
    values = tuple(name_of(value, field="value", most=60) for value in raw)
    return Attribute(slug_of(key, field="attribute"), values)


def _read_choice(key: str, raw: Any) -> Choice:
    choice = fields_of(raw, ("name", "values"))
    values = each_of(choice, "values", lambda value: name_of(value, field="value", most=60))
    return Choice(slug_of(key, field="choice"), name_of(choice["name"], field="name"), values)


def _read_size(key: str, raw: Any) -> Size:
    size = fields_of(raw, ("name", "amounts"))
    amounts = tuple(
        (slug_of(name, field="amounts"), name_of(value, field=name, most=40))
        for name, value in pairs_of(size, "amounts")
    )
    return Size(slug_of(key, field="size"), name_of(size["name"], field="name"), amounts)


def service_form(service: Service) -> dict[str, Any]:
    """The inverse of `read_service`."""
    form: dict[str, Any] = {
        "service": service.slug,
        "name": service.name,
        "description": service.description,
        "category": service.category,
        "subcategory": service.subcategory,
        "attributes": {attribute.slug: list(attribute.values) for attribute in service.attributes},
        "meters": {meter.slug.partition("/")[2]: _meter_form(meter) for meter in service.meters},
    }
    if service.phases != PHASES:
        form["phases"] = list(service.phases)
    if service.choices:
        form["choices"] = {each.slug: {"name": each.name, "values": list(each.values)} for each in service.choices}
    if service.sizes or service.sizes_of:
        form["sizes"] = service.sizes_of or {
            each.slug: {"name": each.name, "amounts": dict(each.amounts)} for each in service.sizes
        }
    for name, listed in (("requires", service.requires), ("excludes", service.excludes)):
        if listed:
            form[name] = list(listed)
    if service.supplier:
        form["supplier"] = service.supplier
    if service.licence is not Licence.NONE:
        form["licence"] = str(service.licence)
    if service.internal:
        form["internal"] = dict(service.internal)
    return form


def _meter_form(meter: Meter) -> dict[str, Any]:
    form = {"name": meter.name, "unit": meter.unit.text, "combine": str(meter.combine)}
    if meter.counted:
        form["counted"] = meter.counted
    if meter.sampling != ADDITIVE:
        sampling = meter.sampling
        form |= {"statistic": str(sampling.statistic), "window": str(sampling.window), "across": str(sampling.across)}
    return form


def read_plan(form: object, meters: Mapping[str, Meter], services: Mapping[str, Service]) -> Plan:
    """Read a plan whose services and meters are known.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = fields_of(form, ("plan", "name", "services", "tiers"), ("description", "minimum-months", "trial"))

    def read_service_slug(raw: Any) -> str:
        if raw not in services:
            raise Invalid(f"service '{str(raw)[:60]}' is not known; publish it first or with this", field="services")
        return str(raw)

    names = each_of(fields, "services", read_service_slug)

    def read_tier(raw: Any) -> Tier:
        tier = fields_of(raw, ("tier", "name"), ("allowances", "quotas", "description", "levels"))
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
            tuple(_named(tier, "levels", _read_level)),
        )

    plan = Plan(
        slug_of(fields["plan"], field="plan"),
        name_of(fields["name"], field="name"),
        names,
        each_of(fields, "tiers", read_tier),
        long_text(fields, "description"),
        _whole_number(fields.get("minimum-months", 0), "minimum-months", 120),
        _read_trial(fields["trial"]) if fields.get("trial") is not None else None,
    )
    check_bundle(plan, services)
    return plan


def _read_level(key: str, raw: Any) -> Level:
    if key not in LEVELS:
        raise Invalid(f"service level '{key[:60]}' is not one of {', '.join(LEVELS)}", field="levels", value=key)
    written, _, unit = str(raw).strip().partition(" ")
    quantity = number(written, field=key, places=0)
    if quantity < 0:
        raise Invalid(f"{key} {written} is negative", field=key, value=raw)
    base = LEVELS[key][1]
    if base:
        convertible(unit.strip() or "?", parse_unit(base), field=key)
    elif unit.strip():
        raise Invalid(f"{key} is a count; write it without a unit", field=key, value=raw)
    return Level(key, quantity, unit.strip())


def _read_trial(raw: Any) -> Trial:
    with at("trial"):
        fields = fields_of(raw, ("days",), ("then",))
        then = fields.get("then", "converts")
        if then not in ("converts", "ends"):
            raise Invalid("then is converts or ends", field="then", value=then)
        return Trial(_whole_number(fields["days"], "days", 366, least=1), then == "converts")


def _whole_number(raw: Any, field: str, most: int, least: int = 0) -> int:
    if isinstance(raw, bool) or not str(raw).isdigit() or not least <= int(raw) <= most:
        raise Invalid(f"{field} must be a whole number from {least} to {most}", field=field, value=raw)
    return int(raw)


def plan_form(plan: Plan) -> dict[str, Any]:
    """The inverse of `read_plan`."""
    terms: dict[str, Any] = {"minimum-months": plan.minimum_months} if plan.minimum_months else {}
    if plan.trial:
        terms["trial"] = {"days": plan.trial.days, "then": "converts" if plan.trial.converts else "ends"}
    return {
        "plan": plan.slug,
        "name": plan.name,
        "description": plan.description,
        "services": list(plan.services),
        **terms,
        "tiers": [
            {
                "tier": tier.slug,
                "name": tier.name,
                "description": tier.description,
                "allowances": {each.meter: f"{text(each.quantity)} {each.unit}" for each in tier.allowances},
                "quotas": {each.measure: text(each.limit) for each in tier.quotas},
                **(
                    {"levels": {each.slug: f"{text(each.quantity)} {each.unit}".strip() for each in tier.levels}}
                    if tier.levels
                    else {}
                ),
            }
            for tier in plan.tiers
        ],
    }


def base_allowances(plan: Plan, tier: str, meters: Mapping[str, Meter]) -> dict[str, Decimal]:
    """A tier's allowances per meter, in base units."""
    found: dict[str, Decimal] = {}
    for each in plan.tier(tier).allowances:
        unit = convertible(each.unit, meters[each.meter].unit, counted=meters[each.meter].counted)
        found[each.meter] = unscaled(smallest(each.quantity, unit, field="allowances"), QUANTITY_PLACES)
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
    smallest(quantity, unit)
    return quantity, unit
