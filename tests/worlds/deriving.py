"""Resellers' cards that follow those by which they buy: their prices are the base's with something on top."""

from dataclasses import replace
from fractions import Fraction
from random import Random
from typing import Any

from tests.worlds.worlds import Derived, Link, Version


def derive(random: Random, link: Link, base: Link, *, own_fees: bool) -> None:
    """Let a link's usual card follow that of the link above it, in the same currency; perhaps with fees of its own."""
    percent, amount = random.choice([-20, 0, 15, 60]), random.choice([0, 0, 1])
    link.derived = Derived(base, percent, Fraction(amount, 100), random.choice([Fraction(1, 20), Fraction(1, 1000)]))
    link.currency, link.over, link.least_over, link.advance = base.currency, base.over, base.least_over, base.advance
    own = link.versions[0]
    kept: dict[str, Any] = {name: getattr(own, name) for name in ("off", "less", "part", "components")}
    if own_fees:
        kept |= {name: getattr(own, name) for name in ("fees", "once", "quarter", "worked")}
    usual = [replace(on_top(link.derived, each), **kept) for each in base.versions if not each.named]
    named = [replace(each, committed=0 if link.over == "project" else each.committed) for each in link.versions]
    link.versions = [*usual, *(each for each in named if each.named)]


def on_top(how: Derived, base: Version) -> Version:
    """A version with what is on top of all its prices; what is not a price stays as it is."""
    window = base.window
    return replace(
        base,
        prices=tuple(price(how, each) for each in base.prices),
        window=replace(window, price=price(how, window.price)) if window else None,
        fees={tier: price(how, each) for tier, each in base.fees.items()},
        once=price(how, base.once) if base.once else base.once,
        quarter=price(how, base.quarter) if base.quarter else base.quarter,
        spend=price(how, base.spend) if base.spend else base.spend,
        peaks={meter: price(how, each) for meter, each in base.peaks.items()},
        awake=None if base.awake is None else price(how, base.awake),
        parked=None if base.parked is None else price(how, base.parked),
        worked=price(how, base.worked),
        promised=None if base.promised is None else price(how, base.promised),
    )


def price(how: Derived, of: Fraction) -> Fraction:
    """To the nearest multiple of the step, never below nothing."""
    exact = max(Fraction(0), of * (100 + how.percent) / 100 + how.amount)
    return int(exact / how.step + Fraction(1, 2)) * how.step
