"""Charges of amounts that a seller enters by hand; neither discounts nor commitments know of them."""

from collections.abc import Iterator, Sequence
from datetime import date
from decimal import Decimal
from fractions import Fraction

from gradumen.core.catalogue.rates import MICRO, RateCardVersion
from gradumen.core.periods import day_start
from gradumen.core.rating.charges import Charge, PricedBlock
from gradumen.core.rating.fees import day_parts
from gradumen.core.rating.rating import Pricing
from gradumen.core.subscriptions.one_off_charges import OneOffCharge


def one_off_charges(entered: Sequence[OneOffCharge], pricing: Pricing) -> Iterator[Charge]:
    """The charges of those whose day lies in the period, each under the card version of its day."""
    for each in entered:
        start = day_start(each.day, pricing.zone)
        end = day_start(date.fromordinal(each.day.toordinal() + 1), pricing.zone)
        if not pricing.start <= start < pricing.end:
            continue
        yield Charge(
            line=each.line,
            kind="one_off_charge",
            rate=each.slug,
            version=_version(pricing.lines[each.line].versions, each.day),
            meter=None,
            unit="piece",
            quantity=Decimal(1),
            covered=Decimal(0),
            before=Decimal(0),
            blocks=(PricedBlock(0, MICRO, each.amount, Fraction(1)),),
            amount=each.amount,
            start=start,
            end=end,
            parts=day_parts(start, end, Decimal(1), each.amount, pricing.zone),
        )


def _version(versions: Sequence[RateCardVersion], day: date) -> RateCardVersion:
    held = [version for version in versions if version.starts_on <= day]
    return held[-1] if held else versions[0]
