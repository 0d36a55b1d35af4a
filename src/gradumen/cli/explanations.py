"""The arithmetic of a charge, for people."""

from gradumen.cli.output import Out, quantity
from gradumen.core.exact import text
from gradumen.wire.billing.explanations import Explanation


def show_arithmetic(out: Out, why: Explanation, *, rate_card: str, currency: str) -> None:
    """By which rate, how much, and block by block."""
    out.say(
        f"rate '{why.rate}' of {rate_card} version {why.rate_card_version or '?'} "
        f"from {why.starts_on or '?'}: {quantity(why.quantity)} {why.base_unit or ''}"
    )
    if why.covered_by_allowance:
        out.say(f"covered by the tier's allowance: {quantity(why.covered_by_allowance)} {why.base_unit or ''}")
    out.table(
        ("FROM", "QUANTITY", "UNIT", "PRICE", currency),
        [
            (
                quantity(block.from_),
                quantity(block.in_units),
                why.unit or "",
                text(block.price),
                text(block.amount),
            )
            for block in why.blocks
        ],
        right=("FROM", "QUANTITY", "PRICE", currency),
    )
    if why.billed_before is not None:
        out.say(f"billed before: {text(why.billed_before.amount)} {currency}")
