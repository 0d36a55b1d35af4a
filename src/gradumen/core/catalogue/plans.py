"""What can be subscribed to: plans with tiers."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal

from gradumen.core.catalogue.services import Service, distinct
from gradumen.core.catalogue.terms import Duration, Terms
from gradumen.core.errors import Invalid


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
        distinct("allowance of meter", [allowance.meter for allowance in self.allowances])
        distinct("quota of measure", [quota.measure for quota in self.quotas])


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
        distinct("tier", [tier.slug for tier in self.tiers])
        distinct("service", list(self.services))
        if not self.tiers:
            raise Invalid(f"plan '{self.slug}' needs at least one tier", field="tiers")

    def tried_until(self, first_day: date) -> date:
        """The first day after the trial of a subscription; its own first day, where the plan has no trial.

        >>> heath = Plan("open", "Open", ("network",), (Tier("heath", "Heath"),), trial=Trial(30, True))
        >>> heath.tried_until(date(2026, 9, 1)).isoformat()
        '2026-10-01'
        """
        return first_day + timedelta(days=self.trial.days if self.trial else 0)

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
