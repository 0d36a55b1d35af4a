"""Built values for property tests, all in one place."""

from datetime import date
from decimal import Decimal

from hypothesis import strategies as st

from gradumen.core.rates import Block, Blocks, Rate, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.units import parse_unit

CARD_DAY = date(2026, 1, 1)
METERS = ("compute/vcpu", "compute/memory", "network/egress")
SIZES, SITES = ("small", "large"), ("north", "south")

quantities = st.integers(0, 10**27).map(lambda whole: Decimal(whole).scaleb(-6))
"""From a millionth to 1e21 base units."""
prices = st.integers(0, 10**15).map(lambda whole: Decimal(whole).scaleb(-12))
units = st.sampled_from(["byte", "GiB", "GiB-hour", "second", "hour", "piece", "piece-hour", "TiB-month730"])


@st.composite
def blocks(draw: st.DrawFn) -> Blocks:
    """One to five blocks."""
    ends = sorted(draw(st.sets(st.integers(1, 10**9), max_size=4)))
    steps = [Block(Decimal(end), draw(prices)) for end in ends]
    return Blocks((*steps, Block(None, draw(prices))))


@st.composite
def usage_rates(draw: st.DrawFn, slug: str = "rate", meter: str = METERS[0]) -> UsageRate:
    """A rate on a meter without conditions."""
    return UsageRate(slug, meter, parse_unit(draw(units)), draw(blocks()))


@st.composite
def cards(draw: st.DrawFn, number: int = 1, starts_on: date = CARD_DAY) -> RateCardVersion:
    """A version that prices every meter, some sizes apart, and the fees of two tiers."""
    rates: list[Rate] = []
    for index, meter in enumerate(METERS):
        rates.append(draw(usage_rates(f"all-{index}", meter)))
        if draw(st.booleans()):
            special = draw(usage_rates(f"large-{index}", meter))
            rates.append(UsageRate(special.slug, meter, special.unit, special.blocks, (("size", "large"),)))
    rates += [
        RecurringRate("fee-heath", "plan", "heath", draw(prices)),
        RecurringRate("fee-moor", "plan", "moor", draw(prices)),
    ]
    return RateCardVersion("card", number, draw(st.sampled_from(["EUR", "JPY", "KWD"])), starts_on, tuple(rates))


attribute_sets = st.sampled_from(
    [{}, *({"size": size} for size in SIZES), *({"size": size, "site": site} for size in SIZES for site in SITES)]
)
