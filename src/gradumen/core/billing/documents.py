"""What is still to bill, and how it becomes the lines and totals of a document."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal, localcontext
from typing import TypeVar

from gradumen.core.exact import EXACT, add, minor_units, round_half_up

Key = TypeVar("Key")
Figures = tuple[Decimal, Decimal]
"""Quantity and amount."""


def to_bill(now: Mapping[Key, Figures], billed: Mapping[Key, Figures]) -> dict[Key, Figures]:
    """What rating gives now less what is billed already, where it is new or not zero (invariant 5).

    >>> to_bill({"a": (Decimal(3), Decimal(6))}, {"a": (Decimal(2), Decimal(4)), "b": (Decimal(1), Decimal(1))})
    {'a': (Decimal('1'), Decimal('2')), 'b': (Decimal('-1'), Decimal('-1'))}
    """
    nothing = (Decimal(0), Decimal(0))
    left: dict[Key, Figures] = {}
    with localcontext(EXACT):
        for key in (*now, *(key for key in billed if key not in now)):
            quantity, amount = now.get(key, nothing)
            gone_quantity, gone_amount = billed.get(key, nothing)
            if key not in billed or quantity != gone_quantity or amount != gone_amount:
                left[key] = quantity - gone_quantity, amount - gone_amount
    return left


@dataclass(frozen=True, slots=True)
class TaxRate:
    """The tax of a seller on buyers of a country: a category of EN 16931 (S, Z, E, AE, O) and a percentage."""

    country: str
    category: str
    percent: Decimal


@dataclass(frozen=True, slots=True)
class Totals:
    """The totals of a document, in its currency."""

    net: Decimal
    tax: Decimal
    gross: Decimal


def totals(lines: Iterable[Decimal], tax: TaxRate, currency: str) -> Totals:
    """Totals of rounded lines; tax is computed once on their sum and rounded once.

    >>> totals([Decimal("10.00"), Decimal("0.05")], TaxRate("GB", "S", Decimal(20)), "GBP")
    Totals(net=Decimal('10.05'), tax=Decimal('2.01'), gross=Decimal('12.06'))
    """
    places = minor_units(currency)
    net = round_half_up(add(list(lines)), places)
    with localcontext(EXACT):
        exact = net * tax.percent / 100
        rounded = round_half_up(exact, places)
        return Totals(net, rounded, net + rounded)
