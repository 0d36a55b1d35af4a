"""Imported costs: exact whatever their order and sign, and split to the last digit."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from zoneinfo import ZoneInfo

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import Basis, Markup, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.exact import AMOUNT_PLACES, add, round_half_up, scaled
from gradumen.core.periods import Period, day_start, hour_number
from gradumen.core.rating.charges import Rated
from gradumen.core.rating.imported_costs import COST_SCHEMA, split
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.core.units import parse_unit

DUBLIN = ZoneInfo("Europe/Dublin")
PERIOD = Period(2026, 10)
Cost = tuple[int, int, int, int, bool]
"""Project, day of October, billed and effective in 10**-12, and whether it buys a commitment."""
ESTIMATED = 2
"""The project of which all costs are estimates."""
amounts = st.integers(-(10**22), 10**22)
costs = st.lists(
    st.tuples(st.integers(0, 2), st.integers(1, 31), amounts, amounts, st.booleans()), min_size=1, max_size=12
)


def version(
    number: int, first: int, percent: str, of: Basis, fixed: str = "0", currency: str = "EUR"
) -> RateCardVersion:
    rate = UsageRate("resold", "cloud/cost", parse_unit("EUR"), Markup(Decimal(percent), Decimal(fixed), of))
    return RateCardVersion("card", number, currency, date(2026, 10, first), (rate,))


def rated(
    rows: list[Cost],
    *versions: RateCardVersion,
    exchange: Sequence[tuple[date, Decimal]] = (),
    usage: int = 0,
    trial: bool = False,
) -> Rated:
    line = RatedLine(0, "cloud", "all", datetime(2026, 9, 1, tzinfo=DUBLIN), None, versions, {}, trial=trial)
    rates = {("EUR", versions[0].currency): exchange}
    pricing = Pricing({0: line}, {0: "cloud/cost"}, {0: {}}, PERIOD, DUBLIN, exchange=rates)
    frame = pl.DataFrame(
        [
            (0, 0, 0, project, project, hour_number(day_start(date(2026, 10, day), DUBLIN), DUBLIN), buys, billed,
             effective, True, project == ESTIMATED)
            for project, day, billed, effective, buys in rows
        ],
        schema=COST_SCHEMA,
        orient="row",
    )  # fmt: skip
    hour = hour_number(day_start(date(2026, 10, 5), DUBLIN), DUBLIN)
    measured = pl.DataFrame([(0, 0, 0, 0, 0, hour, usage)] if usage else [], schema=USAGE_SCHEMA, orient="row")
    return rate_period(measured, pricing, costs=frame)


@given(costs, st.sampled_from(Basis), st.integers(0, 4000), st.randoms(use_true_random=False))
def test_a_charge_is_the_sum_of_its_costs_with_the_percentage(rows, of, per_mille, random) -> None:  # type: ignore[no-untyped-def]  # hypothesis gives them
    percent = str(Decimal(per_mille) / 10)
    versions = version(1, 1, percent, of), version(2, 16, "0", of)
    found = rated(rows, *versions)
    shuffled = [*rows]
    random.shuffle(shuffled)
    assert rated(shuffled, *versions) == found, "the order makes no difference"
    for number, days, factor in ((1, range(1, 16), 1 + Fraction(percent) / 100), (2, range(16, 32), Fraction(1))):
        mine = [each for each in rows if each[1] in days]
        base = sum(billed if of is Basis.BILLED else 0 if buys else effective for _, _, billed, effective, buys in mine)
        charges = [each for each in found.charges if each.version.number == number]
        assert add([each.amount for each in charges]) == round_half_up(Fraction(base, 10**12) * factor, AMOUNT_PLACES)
        assert sum(scaled(each.quantity, 6) for each in charges) == base, "what was sold"
        shares = (billed if of is Basis.BILLED else 0 if buys else effective for project, _, billed, effective, buys in mine
                  if project == ESTIMATED)  # fmt: skip
        guessed = round_half_up(Fraction(sum(shares), 10**12) * factor, AMOUNT_PLACES)
        assert add([each.estimated for each in charges]) == guessed
        for charge in charges:
            assert sum(part.pico for part in charge.parts) == scaled(charge.amount, AMOUNT_PLACES)
            assert sum(part.micro for part in charge.parts) == scaled(charge.quantity, 6)


@given(st.lists(amounts, min_size=1, max_size=20), st.integers(1, 10**6))
def test_shares_add_up_and_each_is_next_to_exact(parts: list[int], per_million: int) -> None:
    price = Fraction(per_million, 10**6)
    exact = sum(parts) * price
    whole = int(round_half_up(exact, 0))
    shares = split(whole, parts, price)
    assert sum(shares) == whole
    assert all(abs(share - part * price) <= 2 for share, part in zip(shares, parts, strict=True))


def test_a_fixed_amount_is_once_a_period_and_a_trial_takes_all_of_it() -> None:
    [first, second] = rated([(0, 3, 10**12, 0, False), (0, 20, 10**12, 0, False)],
                            version(1, 1, "10", Basis.BILLED, "2"), version(2, 16, "10", Basis.BILLED, "2")).charges  # fmt: skip
    assert [first.amount, second.amount] == [Decimal("3.1"), Decimal("1.1")]
    assert [each.kind for each in (*first.adjustments, *second.adjustments)] == ["fixed"]


def test_a_discount_leaves_the_same_share_of_what_was_credited() -> None:
    """Another that comes after it is off what it left of some rates; on trial there are no others."""
    off = Discount("most", "Most", percent=Decimal(90)), Discount("part", "Part", percent=Decimal(20), rates=("heath",))
    sold = version(1, 1, "0", Basis.BILLED)
    sold = replace(sold, rates=(*sold.rates, RecurringRate("heath", "cloud", "all", Decimal(100))), discounts=off)
    credit = [(0, 3, -90 * 10**12, 0, False)]

    def taken(trial: bool) -> dict[str, Decimal]:
        charges = rated(credit, sold, trial=trial).charges
        return {each.rate: each.amount for each in charges if each.kind == "discount"}

    assert taken(False) == {"most": -9, "part": -2}
    assert taken(True) == {"trial": -10}
    assert add(each.amount for each in rated(credit, sold, trial=True).charges) == 0


@given(
    costs, st.lists(st.tuples(st.integers(1, 31), st.integers(1, 10**13)), min_size=1, max_size=4), st.integers(0, 500)
)
def test_cost_in_another_currency_is_worth_what_was_said_of_its_day(
    rows: list[Cost], said: list[tuple[int, int]], per_mille: int
) -> None:
    """Each resource's cost of a day to 12 places; before the first rate it is not priced, and listed as it came."""
    exchange = [(date(2026, 10, day), Decimal(rate).scaleb(-12)) for day, rate in dict(said).items()]
    found = rated(
        rows, version(1, 1, str(Decimal(per_mille) / 10), Basis.BILLED, currency="GBP"), exchange=exchange
    )  # fmt: skip
    sums: dict[tuple[int, int], int] = {}
    for project, day, billed, _, _ in rows:
        sums[project, day] = sums.get((project, day), 0) + billed
    first = min(since.day for since, _ in exchange)
    worth = 0
    for (_, day), cost in sums.items():
        if day >= first:
            _, rate = max(each for each in exchange if each[0].day <= day)
            worth += scaled(round_half_up(Fraction(cost, 10**12) * Fraction(rate), AMOUNT_PLACES), AMOUNT_PLACES)
    total = add([each.amount for each in found.charges])
    assert total == round_half_up(Fraction(worth, 10**12) * (1 + Fraction(per_mille, 1000)), AMOUNT_PLACES)
    left = add([each.quantity for each in found.unpriced])
    assert scaled(left, 6) == sum(cost for (_, day), cost in sums.items() if day < first)
    for charge in found.charges:
        assert sum(part.pico for part in charge.parts) == scaled(charge.amount, AMOUNT_PLACES)
        assert scaled(charge.quantity, 6) == sum(part.micro for part in charge.parts)
        assert set(charge.exchange) <= set(exchange) and charge.exchange == tuple(sorted(charge.exchange))
        assert scaled(charge.before, AMOUNT_PLACES) == worth


def test_what_is_measured_of_a_cost_in_another_currency_is_not_priced_in_silence() -> None:
    found = rated(
        [], version(1, 1, "10", Basis.BILLED, currency="GBP"), exchange=[(date(2026, 1, 1), Decimal(2))], usage=7
    )
    assert not found.charges and [each.quantity for each in found.unpriced] == [Decimal("0.000007")]
    own = rated([], version(1, 1, "10", Basis.BILLED), usage=7 * 10**6)
    assert [each.kind for each in own.charges] == ["markup"]
