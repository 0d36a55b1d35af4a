"""What is sold: services with meters and attributes, plans with tiers, and the text forms they are published in."""

import re
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from gradumen.core.errors import Invalid
from gradumen.core.sampling import ADDITIVE, Across, Sampling
from gradumen.core.units import Unit, parse_unit

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


PHASES = ("held", "running", "working")
"""The phases of a resource where its service names no others."""


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
class Service:
    """What is sold: described once, with FOCUS category and subcategory."""

    slug: str
    name: str
    category: str
    subcategory: str
    meters: tuple[Meter, ...]
    attributes: tuple[Attribute, ...] = ()
    description: str = ""
    phases: tuple[str, ...] = PHASES

    def __post_init__(self) -> None:
        _distinct("phase", list(self.phases))
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

    def __post_init__(self) -> None:
        _distinct("allowance of meter", [allowance.meter for allowance in self.allowances])
        _distinct("quota of measure", [quota.measure for quota in self.quotas])


@dataclass(frozen=True, slots=True)
class Plan:
    """What can be subscribed to: services, and tiers in rising order."""

    slug: str
    name: str
    services: tuple[str, ...]
    tiers: tuple[Tier, ...]
    description: str = ""

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
