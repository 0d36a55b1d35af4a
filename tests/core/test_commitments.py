"""A minimum spend is one amount per scope and period, whatever its versions, pauses and trials."""

from datetime import date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.exact import add
from gradumen.core.periods import Period, day_start
from gradumen.core.rated_periods import rate_period
from gradumen.core.rates import RateCardVersion, RecurringRate, SpendCommitment
from gradumen.core.rating import USAGE_SCHEMA, Pricing, RatedLine

DUBLIN = ZoneInfo("Europe/Dublin")
"""October has 745 hours here."""


def at(day: int) -> datetime:
    return day_start(date(2026, 10, day), DUBLIN)


def version(number: int, first: int, committed: int, *fees: RecurringRate) -> RateCardVersion:
    starts = date(2026, 10, first)
    return RateCardVersion("card", number, "EUR", starts, (SpendCommitment("least", Decimal(committed)), *fees))


def fee(tier: str, price: int) -> RecurringRate:
    return RecurringRate(tier, "open-range", tier, Decimal(price))


def line(number: int, first: int, last: int | None, versions: tuple[RateCardVersion, ...], tier: str, **more: bool):
    end = None if last is None else at(last)
    return RatedLine(number, "open-range", tier, at(first), end, versions, {}, subscription=7, **more)


def total(*lines: RatedLine) -> Decimal:
    pricing = Pricing({each.number: each for each in lines}, {}, {}, Period(2026, 10), DUBLIN)
    rated = rate_period(pl.DataFrame(schema=USAGE_SCHEMA), pricing)
    return add([charge.amount for charge in rated.charges]).quantize(Decimal("0.01"))


def test_what_is_spent_in_two_versions_adds_up():
    """One part of the month may fall short where the other makes up for it."""
    short = version(1, 1, 1000, fee("heath", 745)), version(2, 16, 1000, fee("heath", 745))
    uneven = version(1, 1, 1000, fee("heath", 4 * 745)), version(2, 16, 1000, fee("heath", 0))

    assert total(line(0, 1, None, short, "heath")) == 1000
    assert total(line(0, 1, None, uneven, "heath")) == 4 * 360


def test_a_commitment_that_changes_counts_by_the_seconds_of_each_version():
    """360 of 745 hours at 745 and 385 at 1490 commit to 360 and 770."""
    both = version(1, 1, 745), version(2, 16, 1490)

    assert total(line(0, 1, None, both, "heath")) == 1130


def test_a_trial_raises_no_commitment():
    """Until 17 October (384 hours) everything is free; the rest of 745 is committed."""
    held = (version(1, 1, 745, fee("heath", 745)),)

    assert total(line(0, 1, 17, held, "heath", trial=True), line(1, 17, None, held, "heath")) == 361
    assert total(line(0, 1, None, held, "heath", trial=True)) == 0


def test_a_pause_raises_no_commitment():
    """From 11 to 21 October, 240 hours, nothing is committed."""
    held = (version(1, 1, 745),)
    stretches = line(0, 1, 11, held, "heath"), line(1, 11, 21, held, "heath", paused=True)

    assert total(*stretches, line(2, 21, None, held, "heath")) == 505
