"""Exact numbers: the one place where anything is rounded or split.

Quantities are decimals with at most 6 places, prices and amounts with at most 12 (`docs/rating.md`).
"""

import re
from collections.abc import Iterable, Sequence
from decimal import Context, Decimal, DivisionByZero, Inexact, InvalidOperation, Overflow, localcontext
from fractions import Fraction
from functools import cache

from gradumen.core.errors import Invalid

NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,4})?", re.ASCII)
"""How a number is written; Decimal would also read underscores and the figures of other scripts."""
QUANTITY_PLACES = 6
AMOUNT_PLACES = 12

EXACT = Context(prec=80, traps=[InvalidOperation, DivisionByZero, Overflow, Inexact])
"""The context of all decimal arithmetic here: wide, and an error where a digit would be lost."""

_CURRENCIES = (
    "AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BHD BIF BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF CHF CLP "
    "CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HTG "
    "HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL "
    "MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR "
    "RON RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD "
    "TZS UAH UGX USD UYU UZS VED VES VND VUV WST XAF XCD XCG XOF XPF YER ZAR ZMW ZWG"
)
_OTHER_MINOR_UNITS = {
    0: "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX VND VUV XAF XOF XPF",
    3: "BHD IQD JOD KWD LYD OMR TND",
}
MINOR_UNITS = {
    **dict.fromkeys(_CURRENCIES.split(), 2),
    **{code: places for places, codes in _OTHER_MINOR_UNITS.items() for code in codes.split()},
}
"""Minor units of the currencies that can be billed in: those of ISO 4217, list one, that are money, not funds."""


def minor_units(currency: str) -> int:
    """How many decimal places the currency's amounts have (ISO 4217).

    Raises:
        Invalid: the currency is none that can be billed in.

    >>> minor_units("JPY")
    0
    """
    try:
        return MINOR_UNITS[currency]
    except KeyError:
        raise Invalid(
            f"currency '{str(currency)[:20]}' is none of ISO 4217; use its code, like EUR, GBP or JPY",
            field="currency",
            value=currency,
        ) from None


def round_half_up(value: Fraction | Decimal, places: int) -> Decimal:
    """Round to ``places`` decimals, halves away from zero.

    >>> round_half_up(Fraction(1, 3), 12), round_half_up(Decimal("-0.125"), 2)
    (Decimal('0.333333333333'), Decimal('-0.13'))
    """
    exact = Fraction(value)
    return unscaled(divide_half_up(exact.numerator * 10**places, exact.denominator), places)


def divide_half_up(top: int, bottom: int) -> int:
    """The whole number nearest to ``top / bottom``, halves away from zero; ``bottom`` is positive.

    >>> divide_half_up(5, 2), divide_half_up(-5, 2), divide_half_up(4, 3)
    (3, -3, 1)
    """
    whole = (2 * abs(top) + bottom) // (2 * bottom)
    return whole if top >= 0 else -whole


def add(values: Sequence[Decimal]) -> Decimal:
    """Add exactly, whatever the ambient context is.

    >>> add([Decimal("0.1"), Decimal("0.2")])
    Decimal('0.3')
    """
    with localcontext(EXACT):
        return sum(values, Decimal(0))


def scaled(value: Decimal, places: int) -> int:
    """The value as a whole number of its ``places``-th decimal.

    Raises:
        Invalid: the value has more decimal places than that.

    >>> scaled(Decimal("1.5"), 6)
    1500000
    """
    if not value.is_finite():
        raise Invalid(f"{value} is not a number", value=value)
    top, bottom = value.as_integer_ratio()
    whole, lost = divmod(top * int(10**places), bottom)
    if lost:
        raise Invalid(f"{value} has more than {places} decimal places", value=value)
    return whole


def unscaled(whole: int, places: int) -> Decimal:
    """The inverse of `scaled`.

    >>> unscaled(-1500000, 6)
    Decimal('-1.500000')
    """
    # Of what may be there, like an allowance, there mostly is nothing.
    return Decimal(whole).scaleb(-places, EXACT) if whole else _nothing(places)


@cache
def _nothing(places: int) -> Decimal:
    return Decimal(0).scaleb(-places, EXACT)


def allocate(total: int, weights: Sequence[int]) -> list[int]:
    """Split a whole number in proportion to weights, so that the parts sum to it (largest remainder).

    Equal remainders go to the earlier one. All weights zero: the first part takes all.

    Args:
        total: in the smallest unit (cents, 1e-12 of a currency, 1e-6 of a quantity); any sign.
        weights: not negative, at least one.

    >>> allocate(100, [1, 1, 1])
    [34, 33, 33]
    """
    if not weights or min(weights) < 0:
        raise Invalid("weights must be given and not be negative", field="weights")
    whole = sum(weights)
    if whole == 0:
        return [total] + [0] * (len(weights) - 1)
    size = abs(total)
    floors, remainders = zip(*[divmod(size * weight, whole) for weight in weights], strict=True)
    found = list(floors)
    # Sorting backwards keeps the order of equal ones.
    order = sorted(range(len(weights)), key=remainders.__getitem__, reverse=True)
    for index in order[: size - sum(found)]:
        found[index] += 1
    return found if total >= 0 else [-part for part in found]


def text(value: Decimal) -> str:
    """The one text of a number: no exponent, no trailing zeros, no negative zero.

    >>> text(Decimal("1E+3")), text(Decimal("0.500")), text(Decimal("-0.0"))
    ('1000', '0.5', '0')
    """
    plain = f"{value:f}"
    if "." in plain:
        plain = plain.rstrip("0").rstrip(".")
    return "0" if plain in ("-0", "") else plain


def figure(value: Decimal | int) -> str:
    """A number in a sentence: thousands apart by a narrow space that does not break.

    >>> figure(Decimal("-12345.50")) == "-12\u202f345.5", figure(Decimal("-0.5"))
    (True, '-0.5')
    """
    return f"{Decimal(text(Decimal(value))):,f}".replace(",", "\u202f")


def money(amount: Decimal, currency: str, *, apart: str = "\u202f") -> str:
    """An amount for people: rounded half up to the currency's decimals (ISO 4217), thousands apart, a true minus.

    Args:
        apart: what stands between thousands, by default a narrow space that does not break.

    Raises:
        Invalid: no such currency.

    >>> money(Decimal("-1234.5"), "EUR") == "−1 234.50", money(Decimal(7), "JPY"), money(Decimal("-0.001"), "EUR")
    (True, '7', '0.00')
    """
    places = minor_units(currency)
    rounded = round_half_up(amount, places)
    shown = f"{abs(rounded):,.{places}f}".replace(",", apart)
    return f"\u2212{shown}" if rounded < 0 else shown


def number(raw: object, *, field: str, places: int, digits: int = 38) -> Decimal:
    """Read a decimal from text, whole number or decimal; floats are refused because they have lost digits already.

    Raises:
        Invalid: not a finite number, more than ``places`` decimals, or more than ``digits`` digits in all.

    >>> number("12.50", field="price", places=12)
    Decimal('12.5')
    """
    if isinstance(raw, bool | float) or not isinstance(raw, str | int | Decimal):
        raise Invalid(f'{field} must be a number written as text, like "12.5"; got {raw!r}', field=field, value=raw)
    if isinstance(raw, str) and not NUMBER.fullmatch(raw.strip()):
        raise Invalid(f"{field} '{raw[:60]}' is not a number; write it like 12.5", field=field, value=raw)
    value = Decimal(raw)
    if not value.is_finite():
        raise Invalid(f"{field} must be finite; got {raw}", field=field, value=raw)
    exponent = value.as_tuple().exponent
    if isinstance(exponent, int) and (exponent < -80 or exponent > 40):
        raise Invalid(f"{field} {str(raw)[:60]} is out of range", field=field, value=raw)
    plain = text(value)
    whole, _, decimals = plain.lstrip("-").partition(".")
    if len(decimals) > places:
        raise Invalid(f"{field} {plain} has {len(decimals)} decimal places; at most {places}", field=field, value=raw)
    if len(whole) > digits - places:
        raise Invalid(f"{field} {plain} has too many digits; at most {digits - places}", field=field, value=raw)
    return Decimal(plain)


def line_amount(amounts: Iterable[Decimal], currency: str) -> Decimal:
    """An invoice line: the exact sum of its parts, rounded once to the currency's minor unit.

    >>> line_amount([Decimal("0.004"), Decimal("0.001")], "EUR")
    Decimal('0.01')
    """
    return round_half_up(add(list(amounts)), minor_units(currency))
