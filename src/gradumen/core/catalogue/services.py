"""What is sold: services with meters, attributes, choices and phases."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from gradumen.core.catalogue.sampling import ADDITIVE, Across, Sampling
from gradumen.core.errors import Invalid
from gradumen.core.quotas.measures import Kind, Measure
from gradumen.core.units import Unit, convertible, parse_unit


class Combine(StrEnum):
    """How the readings of one resource become usage of an hour."""

    SUM = "sum"
    """Quantities add up; one that spans hours is spread over them by seconds."""
    LEVEL = "level"
    """The quantity is a level that held from start to end; usage is level x seconds."""
    HELD = "held"
    """The quantity is a level that holds from its start until the resource's next reading; usage is level x seconds."""


@dataclass(frozen=True, slots=True)
class Meter:
    """What is counted.

    ``unit`` is that of usage (for a level, the level's unit x second); ``reading_unit`` is that of one reading.
    What it counts is use of ``measure``, where a quota limits that. ``watched``: it is there to be looked at, as how
    busy something is; where no rate prices it, that is as it should be.
    """

    slug: str
    name: str
    unit: Unit
    combine: Combine
    counted: str | None = None
    sampling: Sampling = ADDITIVE
    measure: Measure | None = None
    watched: bool = False

    def __post_init__(self) -> None:
        if self.sampling.across is Across.DISTINCT and self.unit.dimensions != ("piece",):
            raise Invalid("distinct resources are counted in pieces; use the unit piece", field="across")
        if self.unit.factor != 1:
            unit = self.unit.text
            raise Invalid(f"a meter counts in base units; '{unit}' is not one", field="unit", value=unit)
        if self.combine is not Combine.SUM and "second" not in self.unit.dimensions:
            raise Invalid(
                f"a meter that combines levels counts in something x second; '{self.unit.text}' does not",
                field="unit",
                value=self.unit.text,
            )
        if self.measure is not None:
            self._check_measure(self.measure)

    def _check_measure(self, measure: Measure) -> None:
        """What it counts has to be what the measure is of, as a level where that is a stock."""
        if measure.base is None:
            raise Invalid(f"{measure} are counted by the service, by no meter", field="measure", value=measure)
        level = measure.kind is Kind.STOCK
        unit = self.reading_unit
        same = unit.dimensions == ("byte",)
        if measure.base != "byte":
            same = unit.dimensions == ("piece",) and measure.base == (self.counted or unit.text)
        if (self.combine is not Combine.SUM) is not level or not same:
            how = f"a level in {measure.unit}" if level else f"a sum of {measure.unit}"
            raise Invalid(f"{measure} is {how}; this meter counts '{self.unit.text}'", field="measure", value=measure)

    @property
    def reading_unit(self) -> Unit:
        """The base unit of one reading: without the second for a level."""
        if self.combine is Combine.SUM:
            return self.unit
        names = self.unit.text.split("-")
        names.remove("second")
        return parse_unit("-".join(names) or "piece", counted=self.counted)

    def read_unit(self, text: str) -> tuple[Unit, bool]:
        """The unit of a reading; and whether that is an amount: of a level over some time, as ``GiB-hour``.

        Raises:
            Invalid: it is not known, or measures something else.
        """
        if self.combine is Combine.LEVEL:
            try:
                return convertible(text, self.unit, counted=self.counted), True
            except Invalid:
                pass  # a level itself, or nothing of this meter: which is told below
        return convertible(text, self.reading_unit, counted=self.counted), False


@dataclass(frozen=True, slots=True)
class Attribute:
    """What a price can depend on, with its allowed values; no values means any text."""

    slug: str
    values: tuple[str, ...] = ()


PHASE = "phase"
"""The attribute that says in which of its service's phases a resource is."""
COMPONENT_OF = "component_of"
"""The attribute that names the composite which a resource is a component of; readings of every service can have it."""


@dataclass(frozen=True, slots=True)
class Choice:
    """What an orderer decides: one of the values, the first unless chosen; of an attribute of the same slug, if any."""

    slug: str
    name: str
    values: tuple[str, ...]

    def __post_init__(self) -> None:
        distinct("value", list(self.values))
        if len(self.values) < 2:
            raise Invalid(f"choice '{self.slug}' needs at least two values", field="values")

    @property
    def default(self) -> str:
        """What holds where nothing is chosen."""
        return self.values[0]


@dataclass(frozen=True, slots=True)
class Size:
    """A named size: amounts in words of units, like ``2 vCPU`` of ``processors``."""

    slug: str
    name: str
    amounts: tuple[tuple[str, str], ...]


class Licence(StrEnum):
    """Whether a licence comes with a service."""

    NONE = "none"
    INCLUDED = "included"
    BROUGHT = "brought"


@dataclass(frozen=True, slots=True)
class Service:
    """What is sold: described once, with FOCUS category and subcategory.

    ``phases`` are those that a resource can be in, values of the attribute `PHASE`. ``sizes`` are its own, or those of
    the service ``sizes_of``. ``supplier`` is who really provides it. ``internal`` is for the one who publishes it and
    never shown to customers.
    """

    slug: str
    name: str
    category: str
    subcategory: str
    meters: tuple[Meter, ...]
    attributes: tuple[Attribute, ...] = ()
    description: str = ""
    phases: tuple[str, ...] = ()
    choices: tuple[Choice, ...] = ()
    sizes: tuple[Size, ...] = ()
    sizes_of: str | None = None
    requires: tuple[str, ...] = ()
    excludes: tuple[str, ...] = ()
    supplier: str = ""
    licence: Licence = Licence.NONE
    internal: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        distinct("phase", list(self.phases))
        distinct("choice", [choice.slug for choice in self.choices])
        distinct("size", [size.slug for size in self.sizes])
        allowed = {attribute.slug: attribute.values for attribute in self.attributes}
        for choice in self.choices:
            for value in choice.values:
                if allowed.get(choice.slug) and value not in allowed[choice.slug]:
                    known = ", ".join(allowed[choice.slug])
                    raise Invalid(
                        f"choice '{choice.slug}' offers '{value}', which is not one of {known}", field="choices"
                    )
        if self.slug in self.requires or set(self.requires) & set(self.excludes) or self.slug in self.excludes:
            raise Invalid(f"service '{self.slug}' cannot require and exclude the same, or itself", field="requires")
        distinct("meter", [meter.slug for meter in self.meters])
        distinct("attribute", [attribute.slug for attribute in self.attributes])
        if not self.meters:
            raise Invalid(f"service '{self.slug}' needs at least one meter", field="meters")

    @property
    def looked_at(self) -> tuple[Attribute, ...]:
        """All that a price can depend on: its attributes, and the phase that a resource is in.

        An attribute of its own that is called so stands for that.
        """
        implied = bool(self.phases) and PHASE not in (attribute.slug for attribute in self.attributes)
        return (*self.attributes, *((Attribute(PHASE, self.phases),) if implied else ()))

    @property
    def told(self) -> dict[str, tuple[str, ...]]:
        """The attributes that readings can have, with their values; any value where there are none."""
        return {COMPONENT_OF: (), **{each.slug: each.values for each in self.looked_at}}


def distinct(what: str, slugs: list[str]) -> None:
    for slug in slugs:
        if slugs.count(slug) > 1:
            raise Invalid(f"{what} '{slug}' stands twice; keep one", field=what, value=slug)


def find_circle(requires: Mapping[str, tuple[str, ...]]) -> tuple[str, ...] | None:
    """A circle of services that require each other, as the way round it; None if there is none.

    >>> find_circle({"a": ("b",), "b": ("c",), "c": ("b",)})
    ('b', 'c', 'b')
    """
    finished: set[str] = set()

    def walk(slug: str, way: tuple[str, ...]) -> tuple[str, ...] | None:
        if slug in way:
            return (*way[way.index(slug) :], slug)
        if slug in finished:
            return None
        for each in requires.get(slug, ()):
            if circle := walk(each, (*way, slug)):
                return circle
        finished.add(slug)
        return None

    return next((circle for slug in requires if (circle := walk(slug, ()))), None)
