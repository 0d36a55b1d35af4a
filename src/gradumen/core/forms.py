"""The written forms of services, and what all forms are read with: plain data in, checked values out, and back.

The forms are documented in `docs/formats.md`. Problems name the path inside the form.
"""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from decimal import Decimal
from enum import StrEnum
from typing import Any, TypeVar

from gradumen.core.catalogue import (
    Attribute,
    Choice,
    Combine,
    Licence,
    Meter,
    Service,
    Size,
    name_of,
    slug_of,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, number
from gradumen.core.sampling import ADDITIVE, Across, Sampling, Statistic, Window
from gradumen.core.units import Unit, convertible, parse_unit, smallest

Form = Mapping[str, Any]
RENAMED = {
    "up-to": "'to', as in blocks: [{to: 15, price: 0.05}, {price: 0.03}]",
    "whole-quantity": "'blocks' with at-reached-step: true",
    "package": "'lots', as in lots: {of: 4000, price: 0.05}",
}
"""Fields of files of before, with what is written in their place."""
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
            remedy = f"write {RENAMED[name]}" if name in RENAMED else f"use one of {known}"
            raise Invalid(f"'{str(name)[:60]}' is not a field here; {remedy}", field=str(name)[:60])
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
        tuple(named(fields, "meters", lambda key, raw: _read_meter(slug, key, raw))),
        tuple(named(fields, "attributes", _read_attribute)),
        long_text(fields, "description"),
        each_of(fields, "phases", lambda raw: slug_of(raw, field="phases")),
        tuple(named(fields, "choices", _read_choice)),
        () if isinstance(sizes, str) else tuple(named(fields, "sizes", _read_size)),
        slug_of(sizes, field="sizes") if isinstance(sizes, str) else None,
        each_of(fields, "requires", lambda raw: slug_of(raw, field="requires")),
        each_of(fields, "excludes", lambda raw: slug_of(raw, field="excludes")),
        name_of(fields["supplier"], field="supplier") if fields.get("supplier") else "",
        choice_of(Licence, fields.get("licence", "none"), "licence"),
        tuple(named(fields, "internal", lambda key, raw: (key, name_of(raw, field=key, most=400)))),
    )


def whole_number(raw: Any, field: str, most: int, least: int = 0) -> int:
    """Read a whole number within limits."""
    if isinstance(raw, bool) or not str(raw).isdigit() or not least <= int(raw) <= most:
        raise Invalid(f"{field} must be a whole number from {least} to {most}", field=field, value=raw)
    return int(raw)


def named(form: Form, name: str, read: Callable[[str, Any], T]) -> Iterator[T]:
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
    if service.phases:
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


def meter_of(raw: object, meters: Mapping[str, Meter]) -> Meter:
    if str(raw) not in meters:
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
