"""What currencies are worth to sellers, from days on."""

from datetime import date, timedelta
from fractions import Fraction

from tests.worlds.worlds import FIRST

EXCHANGE = {
    ("GBP", "EUR"): [(date(2026, 1, 1), Fraction(23, 20)), (FIRST + timedelta(days=20), Fraction(57, 50))],
    ("JPY", "EUR"): [(FIRST + timedelta(days=12), Fraction(61, 10000))],
    ("EUR", "GBP"): [(date(2026, 1, 1), Fraction(87, 100)), (FIRST + timedelta(days=40), Fraction(22, 25))],
    ("EUR", "JPY"): [(FIRST + timedelta(days=7), Fraction(1601, 10)), (FIRST + timedelta(days=35), Fraction(163))],
}
"""What the provider has agreed; its resellers' euros are worth a tenth more, and yen not known to them."""


def exchange_of(seller: str) -> dict[tuple[str, str], list[tuple[date, Fraction]]]:
    if seller == "tarnwick":
        return EXCHANGE
    return {("EUR", "GBP"): [(day, rate * 11 / 10) for day, rate in EXCHANGE["EUR", "GBP"]]}


def worth(seller: str, into: str, day: date, currency: str = "EUR") -> Fraction | None:
    """What a unit of a currency is worth to a seller on a day; None where it has not said so."""
    if currency == into:
        return Fraction(1)
    rates = [rate for first, rate in exchange_of(seller).get((currency, into), []) if first <= day]
    return rates[-1] if rates else None
