"""Rows of cost files as columns: read the same alone and among others, and whose they are adds up."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.exact import divide_half_up, scaled
from gradumen.core.metering import cost_frames
from gradumen.core.metering.cost_days import ALIKE, cost_days
from gradumen.core.metering.cost_frames import AMOUNTS, LINE, FrameReader
from gradumen.core.metering.imported_costs import MOST_USED, read_facts, read_number, read_times

LATEST = date(2026, 12, 1)
DIGITS = st.text("0123459", min_size=1, max_size=14)
NUMBERS = st.one_of(
    st.builds(lambda sign, whole, decimals: f"{sign}{whole}{decimals}", st.sampled_from(["", "-"]), DIGITS,
              st.one_of(st.just(""), st.text("0459", min_size=1, max_size=20).map(lambda each: f".{each}"))),
    st.floats(allow_nan=True, allow_infinity=True).map(str),
    st.sampled_from(["", " 1 ", "1e-3", "2E5", "+1", ".5", "1.", "1,5", "null", "-0.0000000000005", "1000000000000.1"]),
)  # fmt: skip
ROWS = st.lists(
    st.fixed_dictionaries(
        {
            **dict.fromkeys(AMOUNTS, NUMBERS),
            "ConsumedQuantity": NUMBERS,
            "ConsumedUnit": st.sampled_from(["", "Hours", "null"]),
            "BillingAccountId": st.sampled_from(["B-1", "B-2", " B-1", "x" * 300, ""]),
            "SubAccountId": st.sampled_from(["", "acc-7"]),
            "BillingCurrency": st.sampled_from(["EUR", "EUR", "EUR", "eur"]),
            "BillingPeriodStart": st.sampled_from(["2026-09-01T00:00:00Z", "2026-09-01", "soon"]),
            "BillingPeriodEnd": st.just("2026-10-01"),
            "ChargePeriodStart": st.sampled_from(["2026-09-03", "2026-09-03T23:30:00-02:00", "1970-01-01"]),
            "ChargePeriodEnd": st.just("2026-09-05"),
            "ChargeCategory": st.sampled_from(["Usage", "Credit", "Gift"]),
            "ServiceName": st.sampled_from(["Machines", "tab\tin it"]),
            "ResourceId": st.sampled_from(["vm-1", "vm-2", ""]),
            "Tags": st.sampled_from(["", '{"team": "a"}', "[1]"]),
        }
    ),
    min_size=1,
    max_size=12,
)


@settings(max_examples=150)
@given(ROWS, st.integers(1, 5), st.booleans())
def test_a_row_reads_the_same_alone_and_among_others(rows: list[dict[str, str]], cut: int, forgets: bool) -> None:
    before, cost_frames.MOST_KNOWN = cost_frames.MOST_KNOWN, 0 if forgets else cost_frames.MOST_KNOWN
    try:
        reader = FrameReader(LATEST)
        frames = [
            reader.read(
                pl.DataFrame([{**row, LINE: first + place} for place, row in enumerate(rows[first : first + cut])])
            )
            for first in range(0, len(rows), cut)
        ]
    finally:
        cost_frames.MOST_KNOWN = before
    facts = {frame.first + place: each for frame in frames for place, each in enumerate(frame.facts)}
    found = {row[LINE]: row for frame in frames for row in frame.rows.iter_rows(named=True)}
    wrong = dict(each for frame in frames for each in frame.wrong)
    for line, cells in enumerate(rows):
        try:
            month, day, begins, lasts = read_times(cells, LATEST)
            fact = read_facts(cells)
            costs = {name: scaled(read_number(cells[column], column), 12) for column, name in AMOUNTS.items()}
            used = cells["ConsumedQuantity"]
            has = used.strip() not in ("", "null")
            quantity = scaled(read_number(used, "ConsumedQuantity", MOST_USED), 12) if has else None
        except Invalid as problem:
            assert wrong.pop(line) == problem.message
            assert line not in found
            continue
        row = found.pop(line)
        assert facts[row.pop("fact")] == fact
        assert row == {
            LINE: line,
            "month": month,
            "day": day,
            "begins": begins,
            "lasts": lasts,
            **costs,
            "quantity": quantity,
        }
    assert (found, wrong) == ({}, {})


ALIKE_ROWS = st.lists(
    st.tuples(
        st.integers(1, 2), st.just(date(2026, 9, 1)), st.just(date(2026, 9, 3)), st.integers(1, 3), st.just(6),
        st.integers(1, 2), st.just("Usage"), st.just(0), st.sampled_from(["EUR", "GBP", "JPY"]),
        st.integers(-(10**24), 10**24), st.integers(-(10**24), 10**24), st.integers(1, 9),
    ),
    min_size=1, max_size=8,
)  # fmt: skip
OWNERS = st.dictionaries(
    st.tuples(st.integers(1, 3), st.integers(1, 2), st.just(6), st.just(date(2026, 9, 3))),
    st.lists(
        st.tuples(st.integers(1, 5), st.integers(1, 10**6)), min_size=1, max_size=4, unique_by=lambda each: each[0]
    ).map(tuple),
)


@given(ALIKE_ROWS, OWNERS, st.decimals("0.000001", "999", places=9))
def test_what_is_divided_sums_to_the_whole_and_what_is_nobodys_stays(
    rows: list[tuple[object, ...]], owners: dict[tuple[object, ...], tuple[tuple[int, int], ...]], rate: Decimal
) -> None:
    alike = pl.DataFrame(rows, schema=ALIKE, orient="row")
    worth = {"EUR": Decimal(1), "GBP": rate, "JPY": None}
    rates = {(number, currency, date(2026, 9, 3)): worth[currency] for number in (1, 2) for currency in worth}
    days = cost_days(alike, owners, rates)
    for column in ("billed", "effective", "rows"):
        assert sum(days[column].to_list()) == sum(alike[column].to_list())
    for number in (1, 2):
        of_it = sorted(days.filter(pl.col("set_id") == number)["number"].to_list())
        assert of_it == list(range(len(of_it)))
    for row in days.iter_rows(named=True):
        shares = owners.get(tuple(row[each] for each in ("resource_id", "attribute_set_id", "origin_id", "day")), ())
        assert row["project_number"] in ({project for project, _ in shares} or {0})
        by = worth[row["currency"]]
        sold = None if by is None else divide_half_up(row["billed"] * Fraction(by).numerator, Fraction(by).denominator)
        assert row["sold_billed"] == sold
