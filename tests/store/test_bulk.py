"""Many rows at once: whole numbers become exact decimals, and nothing is taken as something else."""

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.core.exact import scaled
from gradumen.store.bulk import decimal_text, escaped, load_lines, load_rows


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


def test_only_rows_with_a_new_key_are_added(fresh: Engine) -> None:
    lines = [f"{n:032x}\t2026-10-01 13:00:00" for n in range(200)]
    names = "@k, at) SET k = UNHEX(@k"
    with Session(fresh) as session:
        session.execute(text("CREATE OR REPLACE TABLE loaded (k BINARY(16) PRIMARY KEY, at DATETIME NOT NULL)"))
        assert load_lines(session, "loaded", names, lines[:100], known=True) == 100
        assert load_lines(session, "loaded", names, lines, known=True) == 100
        assert load_lines(session, "loaded", names, [], known=True) == 0
        found = session.execute(text("SELECT COUNT(*), MIN(k), CAST(MIN(at) AS CHAR) FROM loaded")).one()
        assert found == (200, bytes(16), "2026-10-01 13:00:00")
        with pytest.raises(RuntimeError, match="200 are left"):
            load_lines(session, "loaded", names, lines)


def test_a_row_that_does_not_fit_is_an_error_beside_many_known_ones(fresh: Engine) -> None:
    with Session(fresh) as session:
        session.execute(text("CREATE OR REPLACE TABLE loaded (k INT PRIMARY KEY, n TINYINT)"))
        lines = [f"{n}\t1" for n in range(100)]
        load_lines(session, "loaded", "k, n", lines)
        with pytest.raises(RuntimeError, match="did not all fit"):
            load_lines(session, "loaded", "k, n", [*lines, "100\t1000"], known=True)


@pytest.mark.parametrize("odd", ["\\", "\\N", "a\\tb", "NULL", "é😀", "'\"", "%s"])
def test_a_text_is_loaded_as_it_is(fresh: Engine, odd: str) -> None:
    with Session(fresh) as session:
        session.execute(text("CREATE OR REPLACE TABLE loaded (t VARCHAR(20) COLLATE utf8mb4_bin)"))
        load_lines(session, "loaded", "t", [escaped(odd)])
        assert session.scalar(text("SELECT t FROM loaded")) == odd
