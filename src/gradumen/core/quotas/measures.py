"""What quotas limit: measures that are built in, and those that a provider defines."""

import re
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from gradumen.core.errors import Invalid
from gradumen.core.exact import figure
from gradumen.core.units import OTHER_UNITS, plural_of


class Kind(StrEnum):
    """How use of a measure is looked at."""

    STOCK = "stock"
    """What is had at a moment: the mean of an hour."""
    MONTHLY = "monthly"
    """What flows in a month: its sum so far, in UTC."""
    DAILY = "daily"
    """What flows in a day: its sum so far, in UTC."""
    RATE = "rate"
    """What flows in a second: the mean of an hour."""
    COUNT = "count"
    """What the service itself counts, and refuses to let grow beyond the limit."""


class Counted(StrEnum):
    """What the service counts of an organisation's own, for a measure that somebody defines."""

    SUBSCRIPTIONS = "subscriptions"
    """Those that are not over."""
    ACCOUNTS = "cloud accounts"
    """Accounts in clouds, made or linked, that are not removed."""
    TOKENS = "tokens"
    """Tokens of programs that are neither revoked nor over."""


class Measure(str):
    """What a quota limits, by its slug, with its unit and how its use is looked at.

    ``base`` is what meters count for it, in seconds for a stock; None is counted by the service. ``counts`` is what
    the service counts for one that somebody defined.
    """

    unit: str
    kind: Kind
    base: str | None
    counts: Counted | None
    PROCESSORS: ClassVar["Measure"]
    MEMORY: ClassVar["Measure"]
    STORAGE: ClassVar["Measure"]
    MACHINES: ClassVar["Measure"]
    ADDRESSES: ClassVar["Measure"]
    EGRESS: ClassVar["Measure"]
    INGEST: ClassVar["Measure"]
    USERS: ClassVar["Measure"]
    PROJECTS: ClassVar["Measure"]
    ORGANISATIONS: ClassVar["Measure"]

    def __new__(
        cls, slug: str, unit: str, kind: Kind, base: str | None = None, counts: Counted | None = None
    ) -> "Measure":
        made = super().__new__(cls, slug)
        made.unit, made.kind, made.base, made.counts = unit, kind, base, counts
        return made

    def __getnewargs__(  # type: ignore[override]  # a str has but its text
        self,
    ) -> tuple[str, str, Kind, str | None, Counted | None]:
        return str(self), self.unit, self.kind, self.base, self.counts

    @property
    def metered(self) -> bool:
        """Whether meters count it, so that it can be more than its limit."""
        return self.kind is not Kind.COUNT

    @property
    def level(self) -> bool:
        """Whether its use is that of an hour, else a sum so far."""
        return self.kind in (Kind.STOCK, Kind.RATE)


BUILT_IN = (
    Measure("processors", "vCPU", Kind.STOCK, "vCPU"),
    Measure("memory", "GiB", Kind.STOCK, "byte"),
    Measure("storage", "GiB", Kind.STOCK, "byte"),
    Measure("machines", "machine", Kind.STOCK, "machine"),
    Measure("addresses", "address", Kind.STOCK, "address"),
    Measure("egress", "GiB", Kind.MONTHLY, "byte"),
    Measure("ingest", "GiB", Kind.DAILY, "byte"),
    Measure("users", "user", Kind.COUNT),
    Measure("projects", "project", Kind.COUNT),
    Measure("organisations", "organisation", Kind.COUNT),
)
"""In the order in which people read them."""
for _each in BUILT_IN:
    setattr(Measure, _each.upper(), _each)
STOCKS = tuple(measure for measure in BUILT_IN if measure.kind is Kind.STOCK)
BYTES = ("byte", "kB", "KiB", "MB", "MiB", "GB", "GiB", "TB", "TiB", "PB", "PiB")
AccountLimits = Mapping[Measure, Decimal | None]
"""Limits of an account in a cloud, in the units of their measures; None is as the cloud has it for everybody."""
_SLUG, _NOUN = re.compile(r"[a-z][a-z0-9-]{1,30}", re.ASCII), re.compile(r"[A-Za-z][A-Za-z-]{0,29}", re.ASCII)


class Measures(Mapping[str, Measure]):
    """All measures by slug; ``listed`` are those that are in use, in the order in which people read them."""

    def __init__(self, defined: Sequence[Measure] = (), retired: Sequence[Measure] = ()) -> None:
        metered, counted = (tuple(each for each in BUILT_IN if each.metered is wanted) for wanted in (True, False))
        self.listed = (*metered, *defined, *counted)
        self._all = {str(each): each for each in (*self.listed, *retired)}

    def __getitem__(self, slug: str) -> Measure:
        return self._all[slug]

    def __iter__(self) -> Iterator[str]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)

    @property
    def ever(self) -> "Measures":
        """The same with those that were retired, for what was published before."""
        return Measures([each for each in self._all.values() if each not in BUILT_IN])

    @property
    def metered(self) -> tuple[Measure, ...]:
        """Those of them that meters count."""
        return tuple(each for each in self.listed if each.metered)

    def read(self, raw: str) -> Measure:
        """Read a measure.

        Raises:
            Invalid: not one.
        """
        for each in self.listed:
            if each == raw:
                return each
        raise Invalid(f"measure '{raw[:40]}' is not one of {', '.join(self.listed)}", field="measure", value=raw)


def defined_measure(slug: str, unit: str, kind: Kind, counts: Counted | None = None) -> Measure:
    """A measure that somebody defines: of bytes, or of things that it names.

    Args:
        counts: what the service counts for it; only of a count, which needs it.

    Raises:
        Invalid: a slug or unit that cannot be, or a count without what is counted.

    >>> seats = defined_measure("seats", "seat", Kind.STOCK)
    >>> seats, seats.unit, seats.base, defined_measure("backlog", "TiB", Kind.DAILY).base
    ('seats', 'seat', 'seat', 'byte')
    """
    if not _SLUG.fullmatch(slug):
        raise Invalid(
            f"measure '{slug[:40]}' is no name of one; use small letters, figures and hyphens, like seats",
            field="measure",
            value=slug,
        )
    if slug in {str(each) for each in BUILT_IN}:
        raise Invalid(f"measure '{slug}' is there already; choose another name", field="measure", value=slug)
    if (kind is Kind.COUNT) is not (counts is not None):
        can = ", ".join(Counted)
        told = f"a {kind} is counted by meters" if counts else f"say what of these the service counts: {can}"
        raise Invalid(told, field="counts", value=counts)
    if kind is Kind.COUNT and not (_NOUN.fullmatch(unit) and unit not in BYTES and unit not in OTHER_UNITS):
        raise Invalid(f"unit '{unit[:40]}' is no noun for what is counted, like contract", field="unit", value=unit)
    if unit not in BYTES and (unit in OTHER_UNITS or not _NOUN.fullmatch(unit)):
        told = f"unit '{unit[:40]}' is none; use a noun, like seat, or one of {', '.join(BYTES)}"
        raise Invalid(told, field="unit", value=unit)
    if kind is Kind.COUNT:
        return Measure(slug, unit, kind, counts=counts)
    return Measure(slug, unit, kind, "byte" if unit in BYTES else unit)


def amount_words(measure: Measure, amount: Decimal) -> str:
    """So much of a measure, with its unit.

    >>> amount_words(Measure.USERS, Decimal(1)), amount_words(Measure.ADDRESSES, Decimal(8))
    ('1 user', '8 addresses')
    """
    return f"{figure(amount)} {unit_of(measure.unit, amount)}"


def unit_of(unit: str, amount: Decimal | None) -> str:
    """A unit of measures beside an amount, or beside none."""
    return unit if amount == 1 else plural_of(unit)


def measure_words(measure: Measure) -> str:
    """A measure in the middle of a sentence.

    >>> measure_words(Measure.EGRESS), measure_words(Measure.USERS)
    ('egress a month', 'users')
    """
    more = {Kind.MONTHLY: " a month", Kind.DAILY: " a day", Kind.RATE: " a second"}.get(measure.kind, "")
    return f"{measure}{more}"


def of_words(measure: Measure) -> str:
    """What an amount is of, where its unit alone does not say so.

    >>> of_words(Measure.STORAGE), of_words(Measure.MACHINES)
    (' of storage', '')
    """
    return f" of {measure_words(measure)}" if measure.base == "byte" or measure.kind is Kind.RATE else ""
