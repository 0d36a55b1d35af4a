"""The arithmetic of a charge, for people."""

from decimal import Decimal
from fractions import Fraction

from gradumen.cli.output import Out, quantity
from gradumen.core.exact import QUANTITY_PLACES, round_half_up, text
from gradumen.core.units import unit_words
from gradumen.wire.billing.explanations import Explanation, ImportedCost


def show_arithmetic(out: Out, why: Explanation, *, rate_card: str, currency: str) -> None:
    """By which rate, how much, and block by block."""
    out.say(
        f"rate '{why.rate}' of {rate_card} version {why.rate_card_version or '?'} "
        f"from {why.starts_on or '?'}: {_amount(why, why.quantity)}"
    )
    if why.composites:
        of = ", ".join(why.composites)
        out.say(f"of components of {of}, without hours in which that was charged in their place")
    if why.as_components:
        of = ", ".join(why.as_components)
        out.say(f"hours of {of} in which the components were charged instead are left out")
    if why.covered_by_allowance:
        out.say(f"covered by the tier's allowance: {_amount(why, why.covered_by_allowance)}")
    if why.cost is not None:
        out.say(_cost(why, why.cost, currency))
    out.table(
        ("FROM", "QUANTITY", "UNIT", "PRICE", currency),
        [
            (
                quantity(_in_units(why, block.from_)),
                quantity(block.in_units),
                unit_words(why.unit or "", block.in_units),
                text(block.price),
                text(block.amount),
            )
            for block in why.blocks
        ],
        right=("FROM", "QUANTITY", "PRICE", currency),
    )
    if why.limits:
        out.say("what quotas promised:")
        out.table(
            ("WHOSE", "SITE", "LIMIT", "UNIT", "FROM", "TO"),
            [
                (
                    each.holder,
                    each.site or "all",
                    quantity(each.limit),
                    unit_words(each.unit, each.limit),
                    f"{each.start:%Y-%m-%d %H:%M:%S}",
                    f"{each.end:%Y-%m-%d %H:%M:%S}",
                )
                for each in why.limits
            ],
            right=("LIMIT",),
        )
    if why.billed_before is not None:
        out.say(f"billed before: {text(why.billed_before.amount)} {currency}")


def _cost(why: Explanation, cost: ImportedCost, currency: str) -> str:
    """Of which cost it is, what that was exchanged at, and what is on top."""
    told = f"{cost.basis} cost {text(cost.amount)} {currency}"
    if cost.stated is not None:
        rates = ", ".join(f"{text(each.rate)} since {each.since}" for each in cost.exchange or ())
        told += f", of {text(cost.stated)} {why.unit} at {rates}"
    told += f"; and {text(why.percent or Decimal(0))} % on top"
    if cost.estimated is not None:
        told += f"; {text(cost.estimated)} {currency} of it is an estimate, until a file states its days"
    return told


def _in_units(why: Explanation, base: Decimal) -> Decimal:
    """A quantity of base units in the unit that is priced."""
    return round_half_up(Fraction(base) / Fraction(why.base_units_per_unit or "1"), QUANTITY_PLACES)


def _amount(why: Explanation, base: Decimal) -> str:
    """A quantity in the unit that is priced, with that in base units beside it where that is another."""
    exact = f"{quantity(base)} {unit_words(why.base_unit or '', base)}".rstrip()
    if not why.unit or why.unit in ("lot", why.base_unit):
        return exact
    shown = _in_units(why, base)
    return f"{quantity(shown)} {unit_words(why.unit, shown)} ({exact})"
