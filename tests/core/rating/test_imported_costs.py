"""Imported costs: exact whatever their order and sign, and split to the last digit."""

from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from zoneinfo import ZoneInfo

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.rates import Basis, Markup, RateCardVersion, UsageRate
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
amounts = st.integers(-(10**22), 10**22)
costs = st.lists(
    st.tuples(st.integers(0, 2), st.integers(1, 31), amounts, amounts, st.booleans()), min_size=1, max_size=12
)


def version(number: int, first: int, percent: str, of: Basis, fixed: str = "0") -> RateCardVersion:
    rate = UsageRate("resold", "cloud/cost", parse_unit("EUR"), Markup(Decimal(percent), Decimal(fixed), of))
    return RateCardVersion("card", number, "EUR", date(2026, 10, first), (rate,))


def rated(rows: list[Cost], *versions: RateCardVersion) -> Rated:
    line = RatedLine(0, "cloud", "all", datetime(2026, 9, 1, tzinfo=DUBLIN), None, versions, {})
    pricing = Pricing({0: line}, {0: "cloud/cost"}, {0: {}}, PERIOD, DUBLIN)
    frame = pl.DataFrame(
        [
            (0, 0, 0, project, project, hour_number(day_start(date(2026, 10, day), DUBLIN), DUBLIN), buys, billed,
             effective, True)
            for project, day, billed, effective, buys in rows
        ],
        schema=COST_SCHEMA,
        orient="row",
    )  # fmt: skip
    return rate_period(pl.DataFrame(schema=USAGE_SCHEMA), pricing, costs=frame)


@given(costs, st.sampled_from(Basis), st.integers(0, 4000), st.randoms(use_true_random=False))
def test_a_charge_is_the_sum_of_its_costs_with_the_percentage(rows, of, per_mille, random) -> None:  # type: ignore[no-untyped-def]
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
