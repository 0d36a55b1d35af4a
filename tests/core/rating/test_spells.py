"""Started time, compared with a count second by second; and fixed costs spread over lines."""

from datetime import UTC, date, datetime
from decimal import Decimal
from itertools import pairwise, product
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.rates import Block, Blocks, Rate, RateCardVersion, SpreadRate, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.periods import Period, hour_number
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.core.rating.spells import kinds_of, started_time
from gradumen.core.units import parse_unit
from gradumen.wire.catalogue.forms.rate_cards import read_rate_card
from gradumen.wire.catalogue.forms.rates import Known

WHAT = ("card", "meter", "attributes")
SCHEMA = dict.fromkeys((*WHAT, "rate"), pl.Int32) | dict.fromkeys(("step", "since", "until"), pl.Int64)
Price = tuple[int, int, int, int]
"""Rate, step, since, until."""
OLD, NEW, OTHER, ODD = (0, 60, 0, 500), (1, 7, 500, 1000), (2, 30, 500, 1000), (3, 45, 0, 1000)
TABLES: tuple[dict[int, tuple[Price, ...]], ...] = (
    {0: (OLD, NEW), 1: (OLD, NEW), 2: (ODD,)},
    {0: (OLD, NEW), 1: (OLD, OTHER), 2: (ODD,)},
    {0: (OLD, NEW), 1: (OLD,), 2: (ODD, NEW)},
)
"""By attributes: in the first all versions go together; in the others a rate is shared by several kinds."""
Spell = tuple[int, int, int, int]
"""Attributes, level, start, end."""


def frames(table: dict[int, tuple[Price, ...]]) -> pl.DataFrame:
    rows = [(0, 0, attributes, *price) for attributes, prices in table.items() for price in prices]
    return pl.DataFrame(rows, schema=SCHEMA, orient="row")


def count(
    spells: list[Spell], table: dict[int, tuple[Price, ...]], cuts: list[int], windows: list[tuple[int, int]]
) -> dict[object, int]:
    """Steps begun while the line takes them, by walking through every second of what a rate prices."""
    found: dict[object, int] = {}
    for price, wanted in product({price for prices in table.values() for price in prices}, (1, 2)):
        rate, step, since, until = price
        on: set[int] = set()
        for attributes, level, start, end in spells:
            if level == wanted and price in table.get(attributes, ()):
                on |= set(range(start, end))
        began = 0
        for second in sorted(on):
            began = second if second - 1 not in on else began
            taken = any(opens <= second < closes for opens, closes in windows)
            if (second - began) % step == 0 and since <= second < until and taken:
                for cut, (low, high) in enumerate(pairwise(cuts)):
                    if low <= second < high:
                        found[rate, cut] = found.get((rate, cut), 0) + step * wanted
    return found


@given(
    st.sampled_from(TABLES),
    st.lists(
        st.tuples(st.integers(0, 2), st.integers(1, 2), st.integers(0, 990), st.integers(1, 300)).map(
            lambda each: (each[0], each[1], each[2], each[2] + each[3])
        ),
        max_size=7,
    ),
    st.sampled_from([[0, 1000], [0, 333, 700, 1000]]),
    st.sampled_from(
        [[(0, 1000)], [(250, 777)], [(600, 600)], [(0, 200), (400, 650)], [(800, 1000), (100, 120), (130, 500)]]
    ),
)
def test_begun_time_is_what_walking_through_it_counts(
    table: dict[int, tuple[Price, ...]], spells: list[Spell], cuts: list[int], windows: list[tuple[int, int]]
) -> None:
    """A line may take a spell in several windows: between them another takes it, or what it is a component of."""
    what, prices = kinds_of(frames(table))
    whole = ("level", "start", "end", "opens", "closes")
    rows = pl.DataFrame(
        [
            (0, 0, attributes, 4, 5, 6, level, start, end, *window)
            for attributes, level, start, end in spells
            for window in windows
        ],
        schema={**dict.fromkeys((*WHAT, "line", "project", "resource"), pl.Int32), **dict.fromkeys(whole, pl.Int64)},
        orient="row",
    )
    found = started_time(rows.join(what, on=list(WHAT)), prices, np.array(cuts))

    summed: dict[object, int] = {}
    for _, rate, _, _, cut, quantity in found.iter_rows():
        summed[rate, cut] = summed.get((rate, cut), 0) + quantity
    assert summed == count(spells, table, cuts, windows)


def test_versions_of_a_price_are_one_kind_unless_they_share_a_rate_with_another() -> None:
    assert kinds_of(frames(TABLES[0]))[0].height == 3
    assert kinds_of(frames(TABLES[1]))[0].height == 5


VCPU = UsageRate("vcpu", "s/cpu", parse_unit("hour"), Blocks((Block(None, Decimal("0.01")),)))
JUNE, UTC_ZONE = Period(2026, 6), ZoneInfo("UTC")


def spread(
    used: dict[int, int], *rates: Rate, overhead: str = "0", later: tuple[Rate, ...] | None = None
) -> dict[tuple[int, str, int], Decimal]:
    """Amounts by line, rate and version of lines that used so many hours each on the 3rd of June."""
    versions = [RateCardVersion("cost", 1, "EUR", date(2020, 1, 1), rates, (), Decimal(overhead))]
    if later is not None:
        versions.append(RateCardVersion("cost", 2, "EUR", date(2026, 6, 16), later, (), Decimal(overhead)))
    start = datetime(2026, 1, 1, tzinfo=UTC)
    lines = {n: RatedLine(n, "plan", "heath", start, None, tuple(versions), {}) for n in used}
    hour = hour_number(datetime(2026, 6, 3, tzinfo=UTC))
    rows = [(n, 0, 0, 0, 0, hour, hours * 3600 * 10**6) for n, hours in used.items() if hours]
    frame = pl.DataFrame(rows, schema=USAGE_SCHEMA, orient="row")
    pricing = Pricing(lines, {0: "s/cpu"}, {0: {}}, JUNE, UTC_ZONE)
    return {(each.line, each.rate, each.version.number): each.amount for each in rate_period(frame, pricing).charges}


@given(st.dictionaries(st.integers(0, 6), st.integers(0, 10**6), min_size=1), st.decimals(0, 10**9, places=3))
def test_a_fixed_cost_is_spread_whole_in_proportion_to_the_key(used: dict[int, int], amount: Decimal) -> None:
    found = spread(used, SpreadRate("rent", amount, "s/cpu"))
    total = sum(used.values())

    assert sum(found.values()) == amount
    for line, hours in used.items():
        weight = hours if total else 1
        exact = amount * weight / (total or len(used))
        assert abs(found.get((line, "rent", 1), Decimal(0)) - exact) < Decimal("1e-6")


def test_each_version_bears_its_days_and_unused_keys_go_by_time() -> None:
    found = spread(
        {1: 30, 2: 10}, SpreadRate("rent", Decimal(120), "s/cpu"), later=(SpreadRate("rent", Decimal(60), "s/cpu"),)
    )
    assert found == {
        (1, "rent", 1): Decimal(45),
        (2, "rent", 1): Decimal(15),
        (1, "rent", 2): Decimal(15),
        (2, "rent", 2): Decimal(15),
    }


def test_overhead_is_put_on_all_that_is_charged() -> None:
    found = spread({1: 30, 2: 10}, VCPU, SpreadRate("rent", Decimal(40), "s/cpu"), overhead="12.5")
    assert found[1, "overhead", 1] == (Decimal("0.3") + 30) * Decimal("0.125")
    assert found[2, "overhead", 1] == (Decimal("0.1") + 10) * Decimal("0.125")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"for": "tenants"}, "own-use only"),
        ({"rates": [], "for": "any"}, "own-use only"),
        ({"rates": [{"rate": "r", "spread": "-1", "by": "promised/storage"}]}, "negative"),
        ({"rates": [{"rate": "r", "spread": "1", "by": "s/nothing"}]}, "not known"),
        ({"rates": [{"rate": "overhead", "spread": "1", "by": "promised/storage"}]}, "stands twice"),
    ],
)
def test_a_wrong_cost_card_is_refused(change: dict[str, object], words: str) -> None:
    form = {
        "rate-card": "cost",
        "name": "Cost",
        "for": "own-use",
        "currency": "EUR",
        "starts-on": "2026-01-01",
        "overhead": "8",
        "rates": [{"rate": "rent", "spread": "100", "by": "promised/storage"}],
        **change,
    }
    with pytest.raises(Invalid, match=words):
        read_rate_card(form, Known({}, {}, {}), 1)
