"""Units of quantities, with exact factors to the base units piece, byte, second, watt-hour and millionth of a currency.

A unit is one or two names joined by a hyphen: ``GiB``, ``vCPU-hour``, ``GiB-hour``. A meter may call its piece by a
noun of its own (``vCPU``), which then stands for ``piece``.
"""

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache

from gradumen.core.errors import Invalid
from gradumen.core.exact import MINOR_UNITS, QUANTITY_PLACES, figure

_ATOMS: dict[str, tuple[str, Fraction]] = {
    "piece": ("piece", Fraction(1)),
    "request": ("piece", Fraction(1)),
    "seat": ("piece", Fraction(1)),
    "bit": ("byte", Fraction(1, 8)),
    "byte": ("byte", Fraction(1)),
    "nanosecond": ("second", Fraction(1, 10**9)),
    "second": ("second", Fraction(1)),
    "minute": ("second", Fraction(60)),
    "hour": ("second", Fraction(3600)),
    "day": ("second", Fraction(86400)),
    "month730": ("second", Fraction(730 * 3600)),
    "watt-hour": ("watt-hour", Fraction(1)),
}
for _name, _watt_hours in (("kilowatt-hour", 10**3), ("megawatt-hour", 10**6)):
    _ATOMS[_name] = ("watt-hour", Fraction(_watt_hours))
_PREFIXED = (("kB", "KiB"), ("MB", "MiB"), ("GB", "GiB"), ("TB", "TiB"), ("PB", "PiB"))
for _power, (_decimal, _binary) in enumerate(_PREFIXED, 1):
    _ATOMS[_decimal] = ("byte", Fraction(1000**_power))
    _ATOMS[_binary] = ("byte", Fraction(1024**_power))
    _ATOMS[f"{_decimal[0]}bit"] = ("byte", Fraction(1000**_power, 8))
    _ATOMS[f"{_binary[:2]}bit"] = ("byte", Fraction(1024**_power, 8))

for _currency in MINOR_UNITS:
    _ATOMS[_currency] = (_currency, Fraction(10**6))
    _ATOMS[f"micro-{_currency}"] = (_currency, Fraction(1))

OTHER_UNITS = frozenset(name for name, (base, _) in _ATOMS.items() if base != "piece")
"""Names of units that are no noun for a piece."""
MONTH730 = "month730"
"""A month of 730 hours, for prices per month that do not follow the real length of the period."""


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit: its text, its dimensions in alphabetical order, and how many base units it is."""

    text: str
    dimensions: tuple[str, ...]
    factor: Fraction


def smallest(quantity: Decimal, unit: Unit, *, field: str = "quantity") -> int:
    """A quantity in a unit as millionths of its base units.

    Raises:
        Invalid: it ends inside one of them.
    """
    whole = Fraction(quantity) * unit.factor * 10**QUANTITY_PLACES
    if whole.denominator != 1:
        raise Invalid(
            f"{field} {quantity:f} {unit.text} ends inside the smallest quantity of the meter; use a rounder figure",
            field=field,
            value=quantity,
        )
    return int(whole)


@lru_cache(maxsize=1024)
def parse_unit(text: str, *, counted: str | None = None, field: str = "unit") -> Unit:
    """Read a unit.

    Args:
        text: like ``GiB-hour``.
        counted: the meter's own noun for a piece, like ``vCPU``.

    Raises:
        Invalid: a name in it is not known.

    >>> parse_unit("GiB-hour").factor == 1024**3 * 3600
    True
    >>> parse_unit("vCPU-hour", counted="vCPU").dimensions
    ('piece', 'second')
    """
    if text in _ATOMS:
        dimension, factor = _ATOMS[text]
        return Unit(text, (dimension,), factor)
    dimensions: list[str] = []
    factor = Fraction(1)
    for name in text.split("-"):
        if counted is not None and name == counted:
            dimensions.append("piece")
            continue
        if name not in _ATOMS:
            common = [atom for atom in _ATOMS if not atom.startswith("micro-") and atom not in MINOR_UNITS]
            known = ", ".join([*common, "a currency", *([counted] if counted else [])])
            message = f"unit '{text[:60]}' is not known; use one of {known}, or two joined by a hyphen"
            raise Invalid(message, field=field, value=text)
        dimensions.append(_ATOMS[name][0])
        factor *= _ATOMS[name][1]
    return Unit(text, tuple(sorted(dimensions)), factor)


@lru_cache(maxsize=1024)
def spelled(text: str, *, counted: str | None = None) -> str:
    """A unit that sources write with capitals and in the plural (FOCUS, UnitFormat) as it is written here.

    >>> spelled("GB-Hours"), spelled("Requests"), spelled("vCPU-Hours", counted="vCPU"), spelled("Gigabytes")
    ('GB-hour', 'request', 'vCPU-hour', 'Gigabytes')
    """
    names = [*(name for name in _ATOMS if name.isalpha() and name.islower()), *([counted] if counted else [])]
    known = {form.lower(): name for name in names for form in (name, plural_of(name))}
    return "-".join(known.get(name.lower(), name) for name in text.split("-"))


def convertible(text: str, base: Unit, *, counted: str | None = None, field: str = "unit") -> Unit:
    """Read a unit that measures the same as ``base``.

    Raises:
        Invalid: not known, or of another dimension.
    """
    unit = parse_unit(text, counted=counted, field=field)
    if unit.dimensions != base.dimensions:
        raise Invalid(
            f"unit '{text}' does not measure what '{base.text}' measures; "
            f"use a unit of {' x '.join(base.dimensions)}, like '{base.text}'",
            field=field,
            value=text,
        )
    return unit


def unit_words(unit: str, count: Decimal) -> str:
    """A unit beside a quantity: in the plural where there are several, a month of 730 hours said as such.

    >>> unit_words("GiB-month730", Decimal(1)), unit_words("vCPU-hour", Decimal(3)), unit_words("GiB", Decimal(2))
    ('GiB-month (730 h)', 'vCPU-hours', 'GiB')
    """
    plain = unit.replace("-month730", "-month")
    *before, last = plain.split("-")
    shown = last if count == 1 else plural_of(last)
    return "-".join([*before, shown]) + (" (730 h)" if plain != unit else "")


def counted(count: int, noun: str) -> str:
    """So many of something.

    >>> counted(1, "resource"), counted(120, "reading")
    ('1 resource', '120 readings')
    """
    return f"{figure(count)} {noun if count == 1 else plural_of(noun)}"


def plural_of(name: str) -> str:
    """Several of a unit: words have a regular plural, signs like GiB, vCPU and Mbit have none.

    >>> [plural_of(each) for each in ("seat", "address", "copy", "day", "GiB", "kbit")]
    ['seats', 'addresses', 'copies', 'days', 'GiB', 'kbit']
    """
    if not (name.isalpha() and name.islower()) or name.endswith("bit"):
        return name
    if name[-1] == "y" and name[-2:-1] not in ("a", "e", "o", "u"):
        return f"{name[:-1]}ies"
    return f"{name}es" if name.endswith(("s", "x", "z", "ch", "sh")) else f"{name}s"
