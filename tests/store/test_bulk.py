"""Many rows at once: whole numbers become exact decimals, and nothing is taken as something else."""

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.core.exact import scaled
from gradumen.store.bulk import decimal_text, load_rows


@given(st.lists(st.integers(-(10**38) + 1, 10**38 - 1), min_size=1), st.sampled_from([6, 12]))
def test_the_text_of_a_whole_number_is_the_decimal(values: list[int], places: int) -> None:
    frame = pl.DataFrame({"amount": values}, schema={"amount": pl.Int128})
    texts = frame.select(decimal_text("amount", places))["amount"].to_list()
    assert [scaled(Decimal(each), places) for each in texts] == values


@pytest.fixture
def table(fresh: Engine) -> Engine:
    with fresh.begin() as connection:
        connection.execute(text("CREATE OR REPLACE TABLE loaded (n TINYINT, day DATE, amount DECIMAL(10, 2))"))
    return fresh


def rows(count: int, **changed: object) -> pl.DataFrame:
    columns = {"n": [1] * count, "day": ["2026-09-01"] * count, "amount": ["-1.25"] * count, **changed}
    return pl.DataFrame(columns)


def test_rows_are_loaded_as_they_are_and_none_is_null(table: Engine) -> None:
    with Session(table) as session:
        load_rows(session, "loaded", rows(2, n=[None, 7]))
        load_rows(session, "loaded", rows(0))
        found = session.execute(text("SELECT n, CAST(day AS CHAR), amount FROM loaded")).all()
    assert [tuple(each) for each in found] == [
        (None, "2026-09-01", Decimal("-1.25")),
        (7, "2026-09-01", Decimal("-1.25")),
    ]


@pytest.mark.parametrize("changed", [{"n": [1000]}, {"day": ["2026-02-31"]}, {"amount": ["0.005"]}, {"n": ["x"]}])
def test_what_does_not_fit_is_an_error(table: Engine, changed: dict[str, object]) -> None:
    with Session(table) as session, pytest.raises(Exception) as refused:
        load_rows(session, "loaded", rows(1, **changed))
    assert isinstance(refused.value, RuntimeError) or "Data t" in str(refused.value) or "ncorrect" in str(refused.value)
