"""Statistics of samples: the same however large the numbers are that name resources, lines and rates."""

from itertools import product

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.catalogue.sampling import Across, Sampling, Statistic, Window
from gradumen.core.errors import Invalid
from gradumen.core.rating.sampled import sampled

COLUMNS = ("scope", "meter", "line", "rate", "project", "resource", "hour", "quantity")
KINDS = [Sampling(*each) for each in product(Statistic, Window, Across) if not Sampling(*each).additive]
ROWS = st.lists(
    st.tuples(*(st.integers(0, 2) for _ in range(6)), st.integers(0, 60), st.integers(0, 10**9)),
    min_size=1,
    max_size=60,
)


def frame(rows: list[tuple[int, ...]], far: int = 0) -> pl.DataFrame:
    """Rows as rating gives them; ``far`` moves projects, resources, lines and rates up."""
    found = pl.DataFrame(rows, schema=dict.fromkeys(COLUMNS, pl.Int64), orient="row")
    found = found.with_columns((pl.col("hour") // 24).alias("day"))
    moved = {"project": 900, "resource": 2 * 10**9, "line": 4000, "rate": 500}
    return found.with_columns(*(pl.col(name) + far * by for name, by in moved.items()))


def result(rows: list[tuple[int, ...]], sampling: Sampling, far: int = 0) -> list[tuple[int, ...]]:
    found = sampled(frame(rows, far), sampling)
    keys = ["line", "rate", "project", "resource", "day"]
    return found.group_by(keys).agg(pl.col("quantity").sum()).sort(keys).rows()


@pytest.mark.parametrize("sampling", KINDS, ids=lambda each: f"{each.statistic}-{each.window}-{each.across}")
@settings(max_examples=12)
@given(rows=ROWS)
def test_numbers_beyond_64_bits_together_make_no_difference(sampling: Sampling, rows: list[tuple[int, ...]]) -> None:
    near = [
        (line + 4000, rate + 500, project + 900, resource + 2 * 10**9, day, quantity)
        for line, rate, project, resource, day, quantity in result(rows, sampling)
    ]
    assert result(rows, sampling, far=1) == near


@pytest.mark.parametrize("sampling", KINDS, ids=lambda each: f"{each.statistic}-{each.window}-{each.across}")
@settings(max_examples=12)
@given(rows=ROWS, random=st.randoms())
def test_neither_order_nor_splitting_matters(sampling: Sampling, rows: list[tuple[int, ...]], random: object) -> None:
    halves = [(*row[:-1], part) for row in rows for part in (row[-1] // 2, row[-1] - row[-1] // 2)]
    random.shuffle(halves)  # type: ignore[attr-defined]  # a random.Random
    assert result(halves, sampling) == result(rows, sampling)


def test_meters_that_are_sampled_together_stay_apart() -> None:
    one = [(0, 0, 0, 0, 0, 0, hour, 10) for hour in range(20)]
    other = [(0, 1, 0, 1, 0, 0, hour, 90) for hour in range(20)]
    sampling = Sampling(Statistic.P95, Window.PERIOD)
    assert result([*one, *other], sampling) == [*result(one, sampling), *result(other, sampling)]


def test_more_resources_than_can_be_told_apart_are_refused() -> None:
    with pytest.raises(Invalid, match="rated in parts"):
        sampled(frame([(10**6, 10**6, 0, 0, 10**6, 2**31, 0, 1)]), Sampling(Statistic.MAX))
