"""Files of any shape as rows of texts: CSV, JSON Lines and Parquet, also packed with gzip."""

import io
import json
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.metering.file_mappings import Row
from gradumen.feeds.file_rows import CSV, GZIP, check_columns, check_rows, csv_rows, ending_of, not_in, text_of
from gradumen.feeds.parquet_frames import parquet_frames
from gradumen.wire.strict_json import once, refuse_constant

MOST_ROWS = 100_000
MOST_BYTES = 64 * 1024 * 1024
"""Of a file as it is when unpacked."""
MOST_CELLS = 2_000_000
DEEPEST = 16
"""Objects within objects."""


@dataclass(frozen=True, slots=True)
class Table:
    """A file's columns, and its rows with the line (or number, from 1) of each."""

    columns: tuple[str, ...]
    rows: Sequence[tuple[int, Row]]
    delimiter: str | None = None
    encoding: str | None = None


def read_table(
    name: str,
    content: bytes,
    *,
    delimiter: str | None = None,
    encoding: str | None = None,
) -> Table:
    """Read a file by the ending of its name.

    Args:
        delimiter, encoding: of CSV; without them those that fit are found.

    Raises:
        Invalid: another ending, nothing in it, too much of it, or a line that cannot be read; names it.
    """
    ending = ending_of(name)
    if content[:2] == GZIP:
        content = _unpacked(content)
    if ending == ".parquet":
        found = _parquet(content)
    elif ending in (".jsonl", ".ndjson"):
        found = _json_lines(_decoded(content, encoding or "utf-8"))
    elif ending in CSV:
        found = _csv(content, delimiter, encoding)
    else:
        raise Invalid(f"{name[:60]}: a file ends in .csv, .tsv, .txt, .jsonl, .ndjson or .parquet", field="name")
    if not found.rows:
        raise Invalid("the file has no rows; look whether it came whole", field="content")
    return found


def _unpacked(content: bytes) -> bytes:
    unpacking = zlib.decompressobj(wbits=31)
    try:
        found = unpacking.decompress(content, MOST_BYTES)
    except zlib.error as error:
        raise Invalid(f"the file is no whole gzip file: {error}", field="content") from error
    if unpacking.unconsumed_tail:
        raise Invalid(f"unpacked, the file has more than {MOST_BYTES >> 20} MiB; send it in parts", field="content")
    if not unpacking.eof:
        raise Invalid("the gzip file ends too early; send it whole", field="content")
    return found


def _csv(content: bytes, delimiter: str | None, encoding: str | None) -> Table:
    rows: list[tuple[int, Row]] = []
    with csv_rows(io.BytesIO(content), delimiter=delimiter, encoding=encoding) as read:
        for line, cells in read.rows:
            check_count(len(rows) + 1, len(read.columns))
            rows.append((line, dict(zip(read.columns, cells, strict=True))))
    return Table(read.columns, rows, read.delimiter, read.encoding)


def check_count(rows: int, columns: int) -> None:
    check_rows(rows, MOST_ROWS)
    if rows * columns > MOST_CELLS:
        raise Invalid(
            f"a file has at most {MOST_CELLS} cells; send it in parts, or leave columns out",
            field="content",
            value=rows,
        )


def _decoded(content: bytes, encoding: str) -> str:
    try:
        return content.decode("utf-8-sig" if encoding == "utf-8" else encoding)
    except UnicodeError as error:
        raise not_in(encoding, error) from error


def _json_lines(text: str) -> Table:
    rows: list[tuple[int, Row]] = []
    columns: dict[str, None] = {}
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            # Numbers stay the texts that they are.
            item = json.loads(
                line, parse_float=str, parse_int=str, parse_constant=refuse_constant, object_pairs_hook=once
            )
        except (ValueError, RecursionError) as error:
            raise Invalid(f"line {number} is no JSON: {error}", field="content", value=number) from error
        if not isinstance(item, dict):
            raise Invalid(f"line {number} is no JSON object", field="content", value=number)
        row = dict(_flat(item, "", DEEPEST))
        check_count(len(rows) + 1, max(len(columns), len(row)))
        if "\\u" in line and any(_halves(each) for pair in row.items() for each in pair):
            raise Invalid(f"line {number} has half of a character; write it in UTF-8", field="content", value=number)
        if not row.keys() <= columns.keys():
            columns.update(dict.fromkeys(row))
            check_columns(list(columns))
        rows.append((number, row))
    return Table(tuple(columns), rows)


def _halves(text: str) -> bool:
    return any("\ud800" <= each <= "\udfff" for each in text)


def _flat(item: dict[str, Any], before: str, deep: int) -> Iterator[tuple[str, str]]:
    """Names and texts; what is inside something is named after it, with a point between."""
    if not deep:
        raise Invalid(f"objects stand within each other more than {DEEPEST} deep", field="content")
    for name, value in item.items():
        if isinstance(value, dict):
            yield from _flat(value, f"{before}{name}.", deep - 1)
        else:
            yield f"{before}{name}", text_of(value)


def _parquet(content: bytes) -> Table:
    rows: list[tuple[int, Row]] = []
    columns: tuple[str, ...] = ()
    size = 0
    with NamedTemporaryFile(suffix=".parquet") as file:
        file.write(content)
        file.flush()
        for frame in parquet_frames(Path(file.name), most_rows=MOST_ROWS):
            columns = tuple(frame.columns)
            check_count(len(rows) + frame.height, len(columns))
            # A text that many rows share is there once in the file.
            size += sum(frame.select(pl.all().str.len_bytes().sum()).row(0))
            if size > MOST_BYTES:
                raise Invalid(
                    f"the file has more than {MOST_BYTES >> 20} MiB of text; send it in parts", field="content"
                )
            rows += enumerate(frame.iter_rows(named=True), len(rows) + 1)
    return Table(columns, rows)
