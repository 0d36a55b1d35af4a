"""What is sold: services with meters and attributes, plans with tiers, and the text forms they are published in."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum

from gradumen.core.catalogue.sampling import ADDITIVE, Across, Sampling
from gradumen.core.catalogue.terms import Duration, Terms
from gradumen.core.catalogue.units import Unit, parse_unit
from gradumen.core.errors import Invalid

_SLUG = re.compile(r"[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?")


def slug_of(raw: object, *, field: str) -> str:
    """Read a slug: lower-case letters, digits and hyphens, 1 to 63 of them.

    Raises:
        Invalid: anything else.

    >>> slug_of("open-range", field="slug")
    'open-range'
    """
    if not isinstance(raw, str) or not _SLUG.fullmatch(raw):
        raise Invalid(
            f"{field} '{str(raw)[:70]}' may have lower-case letters, digits and hyphens inside, 1 to 63 of them",
            field=field,
            value=raw,
        )
    return raw


def name_of(raw: object, *, field: str, most: int = 120) -> str:
    """Read a name for people: 1 to ``most`` printable characters, outer spaces removed.

    Raises:
        Invalid: empty, too long, or with control characters.
    """
    if not isinstance(raw, str) or not raw.strip() or len(raw.strip()) > most or not raw.strip().isprintable():
        raise Invalid(f"{field} must have 1 to {most} printable characters", field=field, value=raw)
    return raw.strip()


class Combine(StrEnum):
    """How the readings of one resource become usage of an hour."""

    SUM = "sum"
    """Quantities add up; one that spans hours is spread over them by seconds."""
    LEVEL = "level"
    """The quantity is a level that held from start to end; usage is level x seconds."""


@dataclass(frozen=True, slots=True)
class Meter:
    """What is counted.

    ``unit`` is that of usage (for a level, the level's unit x second); ``reading_unit`` is that of one reading.
    """

    slug: str
    name: str
    unit: Unit
    combine: Combine
    counted: str | None = None
    sampling: Sampling = ADDITIVE

    def __post_init__(self) -> None:
        if self.sampling.across is Across.DISTINCT and self.unit.dimensions != ("piece",):
            raise Invalid("distinct resources are counted in pieces; use the unit piece", field="across")
        if self.unit.factor != 1:
            unit = self.unit.text
            raise Invalid(f"a meter counts in base units; '{unit}' is not one", field="unit", value=unit)
        if self.combine is Combine.LEVEL and "second" not in self.unit.dimensions:
            raise Invalid(
                f"a meter that combines levels counts in something x second; '{self.unit.text}' does not",
                field="unit",
                value=self.unit.text,
            )

    @property
    def reading_unit(self) -> Unit:
        """The base unit of one reading: without the second for a level."""
        if self.combine is Combine.SUM:
            return self.unit
        names = self.unit.text.split("-")
        names.remove("second")
        return parse_unit("-".join(names) or "piece", counted=self.counted)


@dataclass(frozen=True, slots=True)
class Attribute:
    """What a price can depend on, with its allowed values; no values means any text."""

    slug: str
    values: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Choice:
    """What an orderer decides: one of the values, the first unless chosen; of an attribute of the same slug, if any."""

    slug: str
    name: str
    values: tuple[str, ...]

    def __post_init__(self) -> None:
        _distinct("value", list(self.values))
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

    ``phases`` are those that a resource can be in, none where it has none. ``sizes`` are its own, or those of the
    service ``sizes_of``. ``supplier`` is who really provides it. ``internal``
    is for the one who publishes it and never shown to customers.
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
        _distinct("phase", list(self.phases))
        _distinct("choice", [choice.slug for choice in self.choices])
        _distinct("size", [size.slug for size in self.sizes])
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
        _distinct("meter", [meter.slug for meter in self.meters])
        _distinct("attribute", [attribute.slug for attribute in self.attributes])
        if not self.meters:
            raise Invalid(f"service '{self.slug}' needs at least one meter", field="meters")


@dataclass(frozen=True, slots=True)
class Allowance:
    """What a tier includes of a meter in each billing period, whole however much of the period is covered."""

    meter: str
    quantity: Decimal
    unit: str


LEVELS = {
    "recovery-point": ("Recovery point", "second"),
    "recovery-time": ("Recovery time", "second"),
    "copies": ("Copies", ""),
    "kept-for": ("Kept for", "second"),
    "response-time": ("Response time", "second"),
}
"""Service levels: their names, and the base unit of those that are times."""


@dataclass(frozen=True, slots=True)
class Level:
    """A service level that a tier promises: ``24 hour``, or a count."""

    slug: str
    quantity: Decimal
    unit: str


@dataclass(frozen=True, slots=True)
class Trial:
    """So many days free of charge; then the subscription goes on (``converts``) or ends."""

    days: int
    converts: bool


@dataclass(frozen=True, slots=True)
class DefaultQuota:
    """The limit of a measure that a tier proposes to a new subscriber."""

    measure: str
    limit: Decimal


@dataclass(frozen=True, slots=True)
class Tier:
    """One level of a plan."""

    slug: str
    name: str
    allowances: tuple[Allowance, ...] = ()
    quotas: tuple[DefaultQuota, ...] = ()
    description: str = ""
    levels: tuple[Level, ...] = ()

    def __post_init__(self) -> None:
        _distinct("allowance of meter", [allowance.meter for allowance in self.allowances])
        _distinct("quota of measure", [quota.measure for quota in self.quotas])


@dataclass(frozen=True, slots=True)
class Plan:
    """What can be subscribed to: services (several are a bundle), and tiers in rising order.

    ``terms`` are accepted by whoever subscribes.
    """

    slug: str
    name: str
    services: tuple[str, ...]
    tiers: tuple[Tier, ...]
    description: str = ""
    duration: Duration = field(default_factory=Duration)
    trial: Trial | None = None
    terms: Terms | None = None

    def __post_init__(self) -> None:
        _distinct("tier", [tier.slug for tier in self.tiers])
        _distinct("service", list(self.services))
        if not self.tiers:
            raise Invalid(f"plan '{self.slug}' needs at least one tier", field="tiers")

    def tier(self, slug: str) -> Tier:
        """The tier of that slug.

        Raises:
            Invalid: the plan has no such tier.
        """
        for tier in self.tiers:
            if tier.slug == slug:
                return tier
        known = ", ".join(tier.slug for tier in self.tiers)
        raise Invalid(f"plan '{self.slug}' has no tier '{slug}'; choose one of {known}", field="tier", value=slug)


def _distinct(what: str, slugs: list[str]) -> None:
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


def check_bundle(plan: Plan, services: Mapping[str, Service]) -> None:
    """Check that a plan has what its services require, and nothing that they exclude.

    Raises:
        Invalid: names the service and what is missing or excluded.
    """
    for slug in plan.services:
        for other in services[slug].requires:
            if other not in plan.services:
                raise Invalid(f"service '{slug}' requires '{other}'; add it to the plan", field="services", value=slug)
        for other in services[slug].excludes:
            if other in plan.services:
                raise Invalid(f"service '{slug}' excludes '{other}'; leave one out", field="services", value=slug)
