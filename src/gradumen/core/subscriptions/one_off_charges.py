"""Amounts that a seller enters by hand."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal


@dataclass(frozen=True, slots=True)
class OneOffCharge:
    """An amount in the currency of a line's card, on a day of the seller's zone; ``slug`` is its own."""

    slug: str
    line: int
    day: date
    amount: Decimal
