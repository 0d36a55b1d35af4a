"""Parts as columns are what they would be one by one."""

from datetime import date
from itertools import pairwise

import numpy as np
import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.exact import allocate
from gradumen.core.rating.parts import Part, Parts, PartTable, allocate_runs

WEIGHTS = st.one_of(st.integers(0, 3), st.integers(0, 10**18), st.integers(0, 10**30))


@given(
    st.lists(
        st.tuples(st.integers(-(10**20), 10**20), st.lists(WEIGHTS, min_size=1, max_size=6)), min_size=1, max_size=5
    )
)
def test_amounts_are_split_at_once_as_one_after_the_other(runs: list[tuple[int, list[int]]]) -> None:
    ends = np.cumsum([0, *(len(weights) for _, weights in runs)])
    weights = pl.Series([weight for _, each in runs for weight in each], dtype=pl.Int128)
    found = allocate_runs([total for total, _ in runs], weights, ends[:-1]).to_list()
    for (start, end), (total, own) in zip(pairwise(ends.tolist()), runs, strict=True):
        assert found[start:end] == allocate(total, own)
        assert sum(found[start:end]) == total


def test_parts_of_a_table_are_those_of_one_charge() -> None:
    rows = [(1, place, date(2026, 9, 1), place, -place) for place in range(4)]
    table = PartTable(pl.DataFrame(rows, schema=PartTable.SCHEMA, orient="row"))
    own = Parts(table, 1, 3)
    assert list(own) == [Part(*row) for row in rows[1:3]]
    assert (len(own), own[0], own[-1:], bool(Parts(table, 2, 2))) == (2, own[:1][0], [Part(*rows[2])], False)
    assert own == Parts(table, 1, 3)
    assert own != Parts(table, 0, 2)
