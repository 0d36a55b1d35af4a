"""What is committed is one amount per scope and period, whatever its versions, pauses and trials; so is a discount."""

from datetime import date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import polars as pl
import pytest

from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import Block, Blocks, RateCardVersion, RecurringRate, SpendCommitment, UsageRate
from gradumen.core.exact import add
from gradumen.core.periods import Period, day_start, hour_number
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.core.units import parse_unit

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


Used = tuple[int, int, int]
"""Line, day of October, pieces."""


def total(*lines: RatedLine, used: tuple[Used, ...] = ()) -> Decimal:
    pricing = Pricing({each.number: each for each in lines}, {0: "audit/events"}, {0: {}}, Period(2026, 10), DUBLIN)
    rows = [(number, 0, 0, 0, 0, hour_number(at(day)), pieces * 10**6) for number, day, pieces in used]
    rated = rate_period(pl.DataFrame(rows, schema=USAGE_SCHEMA, orient="row"), pricing)
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


def test_what_is_used_in_a_pause_counts_toward_a_commitment():
    """300 before the pause and 400 in it reach 505, by whatever is committed outside it."""
    price = UsageRate(
        "events", "audit/events", parse_unit("events", counted="events"), Blocks((Block(None, Decimal(1)),))
    )
    first = RateCardVersion("card", 1, "EUR", date(2026, 10, 1), (SpendCommitment("least", Decimal(745)), price))
    stretches = line(0, 1, 11, (first,), "heath"), line(1, 11, 21, (first,), "heath", paused=True)
    after = line(2, 21, None, (first,), "heath")

    assert total(*stretches, after, used=((0, 2, 300), (1, 12, 400))) == 700
    assert total(*stretches, after, used=((0, 2, 300),)) == 505


def events(number: int, first: int, committed: int | None) -> RateCardVersion:
    """A version whose events cost 1 each, so many of them committed; None has no such rate."""
    rate = UsageRate(
        "events",
        "audit/events",
        parse_unit("events", counted="events"),
        Blocks((Block(None, Decimal(1)),)),
        committed=Decimal(committed or 0),
    )
    return RateCardVersion("card", number, "EUR", date(2026, 10, first), () if committed is None else (rate,))


@pytest.mark.parametrize("used", [(), ((0, 2, 5),), ((0, 20, 5),), ((0, 2, 3), (0, 20, 2))])
def test_a_committed_quantity_is_that_of_the_version_that_holds_last(used: tuple[Used, ...]):
    """Whichever version something was used in, and where nothing was."""
    lower, none, gone = (events(1, 1, 100), events(2, 16, 10)), events(2, 16, 0), events(2, 16, None)

    assert total(line(0, 1, None, lower, "heath"), used=used) == 10
    assert total(line(0, 1, None, (events(1, 1, 100), none), "heath"), used=used) == sum(each[2] for each in used)
    early = sum(pieces for _, day, pieces in used if day < 16)
    assert total(line(0, 1, None, (events(1, 1, 100), gone), "heath"), used=used) == early
    assert total(line(0, 1, 10, lower, "heath"), used=used[:1] if used and used[0][1] < 10 else ()) == 100


def test_a_committed_quantity_of_a_scope_is_one_of_all_its_lines():
    """Two lines that share a subscription, the later one paused or on trial, commit to what the first held."""
    versions = events(1, 1, 100), events(2, 16, 10)
    before = line(0, 1, 11, versions, "heath")

    assert total(before, line(1, 11, None, versions, "heath", paused=True)) == 100
    assert total(before, line(1, 11, None, versions, "heath", paused=True), used=((1, 20, 30),)) == 100
    assert total(before, line(1, 11, None, versions, "moor")) == 10
    assert total(line(0, 1, None, versions, "heath", trial=True)) == 0


def discounted(number: int, first: int, amount: int, *fees: RecurringRate) -> RateCardVersion:
    off = Discount("loyal", "Loyal", amount=Decimal(amount))
    return RateCardVersion("card", number, "EUR", date(2026, 10, first), fees, (off,))


def test_an_amount_off_is_one_per_subscription_and_period():
    """5 off 200 are 195, in however many versions and stretches; a later amount gives what is left of it."""
    heath, moor = fee("heath", 200), fee("moor", 200)
    same = discounted(1, 1, 5, heath, moor), discounted(2, 16, 5, heath, moor)
    more = discounted(1, 1, 5, heath), discounted(2, 16, 8, heath)
    less = discounted(1, 1, 8, heath), discounted(2, 16, 5, heath)

    assert total(line(0, 1, None, same[:1], "heath")) == 195
    assert total(line(0, 1, None, same, "heath")) == 195
    assert total(line(0, 1, 11, same, "heath"), line(1, 11, None, same, "moor")) == 195
    assert total(line(0, 1, None, more, "heath")) == 192
    assert total(line(0, 1, None, less, "heath")) == 192


def test_an_amount_that_the_first_stretch_could_not_take_is_given_by_the_next():
    """Nothing is charged on trial, so nothing of the amount is used up there."""
    held = (discounted(1, 1, 5, fee("heath", 745)),)

    assert total(line(0, 1, 17, held, "heath", trial=True), line(1, 17, None, held, "heath")) == 356
