"""Files as they come: every way of packing and writing gives the same rows; what is broken is named by its line."""

import gzip
import io
import json
from decimal import Decimal
from pathlib import Path
from random import Random

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.feeds import cost_files, file_rows, parquet_frames, reading_files
from gradumen.feeds.reading_files import read_table

CSV = 'vm,at,note\nweb-1,2026-10-01,"two\nlines, one cell"\n\nweb-2,2026-10-02,\n'
ROWS = [
    (2, {"vm": "web-1", "at": "2026-10-01", "note": "two\nlines, one cell"}),
    (5, {"vm": "web-2", "at": "2026-10-02", "note": ""}),
]
CELLS = st.text(st.characters(codec="utf-8", exclude_characters="\r\x00"), max_size=20)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
def test_csv_is_read_in_its_encoding_packed_or_not(encoding: str) -> None:
    content = CSV.encode(encoding)
    for name, packed in (("a.csv", content), ("a.csv.gz", gzip.compress(content)), ("A.CSV", content)):
        assert read_table(name, packed).rows == ROWS
    semicolons = "größe;at\n1,5;x\n".encode("latin-1")
    found = read_table("a.csv", semicolons)
    assert (found.columns, found.delimiter, found.encoding) == (("größe", "at"), ";", "latin-1")
    assert read_table("a.tsv", b"a\tb\n1\t2\n").rows == [(2, {"a": "1", "b": "2"})]


@settings(max_examples=8)
@given(st.lists(st.tuples(CELLS, CELLS).filter(any), min_size=1, max_size=5))
def test_what_is_written_in_any_form_comes_back(cells: list[tuple[str, str]]) -> None:
    rows = [dict(zip(("a", "b"), each, strict=True)) for each in cells]
    lines = "\n".join(json.dumps(each, ensure_ascii=False) for each in rows)
    parquet = io.BytesIO()
    pl.DataFrame(rows).write_parquet(parquet)
    for name, content in (("a.jsonl", lines.encode()), ("a.parquet", parquet.getvalue())):
        assert [row for _, row in read_table(name, content).rows] == rows


def test_values_of_parquet_and_json_are_the_texts_that_they_are() -> None:
    frame = pl.DataFrame(
        {"f": [0.1, None], "d": [Decimal("1.100000"), None], "i": [2**60, None], "b": [True, None]}
    ).with_columns(pl.lit("2026-10-01T05:00:00").str.to_datetime().dt.replace_time_zone("UTC").alias("t"))
    parquet = io.BytesIO()
    frame.write_parquet(parquet)
    first, second = (row for _, row in read_table("a.parquet", parquet.getvalue()).rows)
    assert first == {
        "f": "0.1", "d": "1.100000", "i": str(2**60), "b": "true", "t": "2026-10-01T05:00:00+00:00",
    }  # fmt: skip
    assert set(second.values()) == {"", "2026-10-01T05:00:00+00:00"}
    [(_, row)] = read_table("a.jsonl", b'{"a": {"b": 1.10, "c": [1]}, "n": 12345678901234567890.5}').rows
    assert row == {"a.b": "1.10", "a.c": '["1"]', "n": "12345678901234567890.5"}


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.xls", b"x", "ends in .csv"),
        ("a.csv", b"", "1 to 200 columns"),
        ("a.csv", b"a,b\n", "has no rows"),
        ("a.csv", b"a,b\n1,2\n1\n", "line 3 has 1 cells where the head has 2"),
        ("a.csv", b'a,b\n1,"2\n', "line 2 cannot be read"),
        ("a.csv", b"a,a\n1,2\n", "two columns 'a'"),
        ("a.csv", b"a,\n1,2\n", "a column without a name"),
        ("a.csv", b"a\n" + b"x" * 5000, "more than 4000 characters"),
        ("a.jsonl", b'{"a":' * 20 + b"1" + b"}" * 20, "more than 16 deep"),
        ("a.jsonl", b'{"a":' * 5000 + b"1" + b"}" * 5000, "deep|no JSON"),
        ("a.csv.gz", gzip.compress(b"a\n1\n", mtime=0)[:-6], "ends too early"),
        ("a.csv.gz", b"\x1f\x8bnothing", "no whole gzip file"),
        ("a.jsonl", b'{"a": 1}\n[1]\n', "line 2 is no JSON object"),
        ("a.jsonl", b'{"a": 1}\n{"a": NaN}\n', "line 2 is no JSON"),
        ("a.jsonl", b'{"a": "\\ud800"}\n', "half of a character"),
        ("a.parquet", b"PAR1 and nothing", "no whole Parquet file"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_named(name: str, content: bytes, said: str) -> None:
    with pytest.raises(Invalid, match=said):
        read_table(name, content)


def test_more_than_can_be_taken_is_refused_before_it_fills_the_memory(monkeypatch: pytest.MonkeyPatch) -> None:
    bomb = gzip.compress(b"a\n" + b"0" * (2**20 * 8))
    monkeypatch.setattr(reading_files, "MOST_BYTES", 2**20)
    with pytest.raises(Invalid, match="more than 1 MiB"):
        read_table("a.csv.gz", bomb)
    monkeypatch.setattr(reading_files, "MOST_CELLS", 5)
    with pytest.raises(Invalid, match="at most 5 cells"):
        read_table("a.csv", b"a,b\n1,2\n3,4\n5,6\n")
    monkeypatch.setattr(reading_files, "MOST_ROWS", 2)
    for name, content in (("a.csv", b"a\n1\n2\n3\n"), ("a.jsonl", b'{"a":1}\n' * 3)):
        with pytest.raises(Invalid, match="at most 2 rows"):
            read_table(name, content)


def parquet_of(**columns: object) -> bytes:
    found = io.BytesIO()
    pl.DataFrame(columns).write_parquet(found)
    return found.getvalue()


def test_much_in_a_small_parquet_file_is_refused_by_the_process_that_reads_it() -> None:
    shared = parquet_of(a=["x" * 3000] * 25_000)
    assert len(shared) < 50_000
    for content, said in (
        (shared, "more than 64 MiB of text"),
        (parquet_of(a=range(100_001)), "at most 100000 rows"),
        (parquet_of(**{f"c{number}": range(40_000) for number in range(51)}), "at most 2000000 cells"),
        (parquet_of(a=["x" * 5000]), "more than 4000 characters"),
    ):
        with pytest.raises(Invalid, match=said):
            read_table("a.parquet", content)


def test_a_parquet_file_with_any_byte_wrong_is_read_or_refused() -> None:
    """Some of them end the process that reads them."""
    whole, chance, outcomes = parquet_of(a=["x", "y", "z"] * 50, c=[0.5] * 150), Random(3), set()
    for _ in range(8):
        broken = bytearray(whole)
        for _ in range(chance.randint(1, 6)):
            broken[chance.randrange(len(broken))] = chance.randrange(256)
        try:
            outcomes.add(len(read_table("a.parquet", bytes(broken)).rows))
        except Invalid:
            outcomes.add(0)
    assert outcomes <= {0, 150} and 0 in outcomes


def test_rows_that_share_a_long_text_come_in_frames_of_bounded_size(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(file_rows, "MOST_TEXT", 10_000)
    path = tmp_path / "a.parquet"
    pl.DataFrame({"a": ["x" * 3000] * 9, "n": range(9)}).write_parquet(path)
    frames = list(parquet_frames._frames(path, 100, ()))
    assert max(frame.height for frame in frames) <= 3
    assert [row[1] for frame in frames for row in frame.rows()] == [str(each) for each in range(9)]
    rows = [(each, ["x" * 3000]) for each in range(9)]
    batches = list(cost_files._batches(rows))
    assert [row for batch in batches for row in batch] == rows
    monkeypatch.setattr(cost_files, "MOST_TEXT", 10_000)
    assert [len(batch) for batch in cost_files._batches(rows)] == [4, 4, 1]
