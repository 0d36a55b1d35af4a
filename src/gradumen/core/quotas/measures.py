"""What quotas limit."""

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from gradumen.core.exact import figure


class Measure(StrEnum):
    """What a quota limits."""

    PROCESSORS = "processors"
    MEMORY = "memory"
    STORAGE = "storage"
    MACHINES = "machines"
    ADDRESSES = "addresses"
    EGRESS = "egress"
    INGEST = "ingest"
    USERS = "users"
    PROJECTS = "projects"
    ORGANISATIONS = "organisations"


class Kind(StrEnum):
    """How use of a measure is looked at."""

    STOCK = "stock"
    """What is had at a moment: the mean of an hour."""
    MONTHLY = "monthly"
    """What flows in a month: its sum so far, in UTC."""
    DAILY = "daily"
    """What flows in a day: its sum so far, in UTC."""
    COUNT = "count"
    """What the service itself counts, and refuses to let grow beyond the limit."""


@dataclass(frozen=True, slots=True)
class Measured:
    """A measure's unit, and how its use is looked at; ``base`` is what meters count for it, in seconds for a stock."""

    unit: str
    kind: Kind
    base: str | None = None


MEASURES: dict[Measure, Measured] = {
    Measure.PROCESSORS: Measured("vCPU", Kind.STOCK, "vCPU"),
    Measure.MEMORY: Measured("GiB", Kind.STOCK, "byte"),
    Measure.STORAGE: Measured("GiB", Kind.STOCK, "byte"),
    Measure.MACHINES: Measured("machine", Kind.STOCK, "machine"),
    Measure.ADDRESSES: Measured("address", Kind.STOCK, "address"),
    Measure.EGRESS: Measured("GiB", Kind.MONTHLY, "byte"),
    Measure.INGEST: Measured("GiB", Kind.DAILY, "byte"),
    Measure.USERS: Measured("user", Kind.COUNT),
    Measure.PROJECTS: Measured("project", Kind.COUNT),
    Measure.ORGANISATIONS: Measured("organisation", Kind.COUNT),
}
"""In the order in which people read them."""
MEASURE_UNITS = {measure: each.unit for measure, each in MEASURES.items()}
COUNTED = tuple(measure for measure, each in MEASURES.items() if each.kind is Kind.COUNT)
METERED = tuple(measure for measure, each in MEASURES.items() if each.kind is not Kind.COUNT)
STOCKS = tuple(measure for measure, each in MEASURES.items() if each.kind is Kind.STOCK)


_PLURALS = {"address": "addresses"}


def amount_words(measure: Measure, amount: Decimal) -> str:
    """So much of a measure, with its unit.

    >>> amount_words(Measure.USERS, Decimal(1)), amount_words(Measure.ADDRESSES, Decimal(8))
    ('1 user', '8 addresses')
    """
    return f"{figure(amount)} {unit_of(measure, amount)}"


def unit_of(measure: Measure, amount: Decimal | None) -> str:
    """The unit of a measure beside an amount: words have a plural, signs like GiB have none."""
    unit = MEASURE_UNITS[measure]
    return _PLURALS.get(unit, f"{unit}s") if amount != 1 and unit.islower() else unit


def measure_words(measure: Measure) -> str:
    """A measure in the middle of a sentence.

    >>> measure_words(Measure.EGRESS), measure_words(Measure.USERS)
    ('egress a month', 'users')
    """
    more = {Kind.MONTHLY: " a month", Kind.DAILY: " a day"}.get(MEASURES[measure].kind, "")
    return f"{measure}{more}"
