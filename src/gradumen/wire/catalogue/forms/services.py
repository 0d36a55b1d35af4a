"""Services as they are written."""

from typing import Annotated, Any

from gradumen.core.catalogue.sampling import ADDITIVE, Across, Sampling, Statistic, Window
from gradumen.core.catalogue.services import (
    Attribute,
    Choice,
    Combine,
    Licence,
    Meter,
    Service,
    Size,
)
from gradumen.core.errors import Invalid
from gradumen.core.mistakes import Mistakes, at
from gradumen.core.quotas.measures import Measures
from gradumen.core.units import parse_unit
from gradumen.wire.catalogue.forms.base import Form, LongText, Name, Slug, Written, YesNo, named, one_of, read

PROMISED = "promised"
"""Meters of what quotas promise begin with this; no service is called so."""


class MeterForm(Form):
    """What is counted of a service: in which base unit, and how the readings of an hour become usage."""

    name: Name
    unit: Written
    combine: Annotated[Combine, *one_of(Combine)]
    counted: Annotated[str, *named(40)] | None = None
    statistic: Annotated[Statistic, *one_of(Statistic)] = Statistic.SUM
    window: Annotated[Window, *one_of(Window)] = Window.HOUR
    across: Annotated[Across, *one_of(Across)] = Across.SUM
    measure: Slug | None = None
    watched: YesNo = False

    def value(self, slug: str, measures: Measures) -> Meter:
        """The meter of that slug.

        Raises:
            Invalid: a unit that is not known or no base unit.
        """
        unit = parse_unit(self.unit, counted=self.counted)
        return Meter(
            slug,
            self.name,
            unit,
            self.combine,
            self.counted,
            Sampling(self.statistic, self.window, self.across),
            None if self.measure is None else measures.read(self.measure),
            self.watched,
        )


class ChoiceForm(Form):
    """What an orderer decides; the first value is the default."""

    name: Name
    values: list[Annotated[str, *named(60)]]


class SizeForm(Form):
    """A named size: so much of each."""

    name: Name
    amounts: dict[Slug, Annotated[str, *named(40)]]


class ServiceForm(Form):
    """What is sold, described once; category and subcategory are those of FOCUS 1.2."""

    service: Slug
    name: Name
    category: Name
    subcategory: Name
    meters: dict[Slug, MeterForm]
    attributes: dict[Slug, list[Annotated[str, *named(60)]]] = {}
    description: LongText = ""
    phases: list[Slug] = []
    choices: dict[Slug, ChoiceForm] = {}
    sizes: Slug | dict[Slug, SizeForm] = {}
    requires: list[Slug] = []
    excludes: list[Slug] = []
    supplier: Name | None = None
    licence: Annotated[Licence, *one_of(Licence)] = Licence.NONE
    internal: dict[str, Annotated[str, *named(400)]] = {}

    def value(self, measures: Measures) -> Service:
        """The service.

        Raises:
            Invalid: parts that do not fit each other.
        """
        if self.service == PROMISED:
            raise Invalid("'promised' names what quotas promise; choose another slug", field="service", path="service")
        mistakes = Mistakes()
        meters = []
        for name, meter in self.meters.items():
            with mistakes.at(f"meters.{name}"):
                meters.append(meter.value(f"{self.service}/{name}", measures))
        choices: tuple[Choice, ...] = ()
        sizes: tuple[Size, ...] = ()
        with mistakes.whole():
            choices = tuple(self._choices())
        with mistakes.whole():
            sizes = () if isinstance(self.sizes, str) else tuple(self._sizes(self.sizes))
        mistakes.tell()
        return Service(
            self.service,
            self.name,
            self.category,
            self.subcategory,
            tuple(meters),
            tuple(Attribute(slug, tuple(values)) for slug, values in self.attributes.items()),
            self.description,
            tuple(self.phases),
            choices,
            sizes,
            self.sizes if isinstance(self.sizes, str) else None,
            tuple(self.requires),
            tuple(self.excludes),
            self.supplier or "",
            self.licence,
            tuple(self.internal.items()),
        )

    def _choices(self) -> list[Choice]:
        found = []
        for slug, choice in self.choices.items():
            with at(f"choices.{slug}"):
                found.append(Choice(slug, choice.name, tuple(choice.values)))
        return found

    def _sizes(self, sizes: dict[str, SizeForm]) -> list[Size]:
        found = []
        for slug, size in sizes.items():
            with at(f"sizes.{slug}"):
                found.append(Size(slug, size.name, tuple(size.amounts.items())))
        return found


def read_service(form: object, measures: Measures | None = None) -> Service:
    """Read a service.

    Args:
        measures: those that its meters may count; by default what is built in.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    return read(ServiceForm, form).value(measures or Measures())


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
    form: dict[str, Any] = {"name": meter.name, "unit": meter.unit.text, "combine": str(meter.combine)}
    if meter.counted:
        form["counted"] = meter.counted
    if meter.sampling != ADDITIVE:
        sampling = meter.sampling
        form |= {"statistic": str(sampling.statistic), "window": str(sampling.window), "across": str(sampling.across)}
    if meter.measure is not None:
        form["measure"] = str(meter.measure)
    if meter.watched:
        form["watched"] = True
    return form
