"""Built values for property tests, all in one place."""

from decimal import Decimal

from hypothesis import strategies as st

from gradumen.core.catalogue.rates import Block, Blocks, UsageRate
from gradumen.core.units import parse_unit

METERS = ("compute/vcpu", "compute/memory", "network/egress")

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
