"""Files of any shape as rows of texts: CSV, JSON Lines and Parquet, also packed with gzip."""

import csv
import io
import json
import os
import subprocess
import sys
import zlib
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import PurePath
from typing import Any

from gradumen.core.errors import Invalid
from gradumen.core.metering.file_mappings import Row
from gradumen.wire.strict_json import once, refuse_constant

MOST_ROWS = 100_000
MOST_BYTES = 64 * 1024 * 1024
"""Of a file as it is when unpacked."""
MOST_CELLS = 2_000_000
MOST_COLUMNS = 200
DEEPEST = 16
"""Objects within objects."""
LONGEST_CELL = 4000
DELIMITERS = (",", ";", "\t", "|")
ENCODINGS = ("utf-8", "utf-16", "latin-1")
_GZIP = b"\x1f\x8b"
REFUSED = 3
"""How the process ends that found something to refuse."""
PARQUET_SECONDS = 60


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
    only: Collection[str] | None = None,
) -> Table:
    """Read a file by the ending of its name.

    Args:
        delimiter, encoding: of CSV; without them those that fit are found.
        only: columns of CSV and Parquet that are wanted; the others are passed over.

    Raises:
        Invalid: another ending, nothing in it, too much of it, or a line that cannot be read; names it.
    """
    suffixes = [each.lower() for each in PurePath(name).suffixes]
    if suffixes and suffixes[-1] == ".gz":
        suffixes.pop()
    ending = suffixes[-1] if suffixes else ""
    if content[:2] == _GZIP:
        content = _unpacked(content)
    if ending == ".parquet":
        found = _parquet(content, only)
    elif ending in (".jsonl", ".ndjson"):
        found = _json_lines(_decoded(content, encoding or "utf-8"))
    elif ending in (".csv", ".tsv", ".txt"):
        found = _csv(content, delimiter, encoding, only)
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


def _decoded(content: bytes, encoding: str) -> str:
    try:
        return content.decode("utf-8-sig" if encoding == "utf-8" else encoding)
    except UnicodeError as error:
        raise Invalid(
            f"the file is not written in {encoding} ({error}); say which encoding it is in: {', '.join(ENCODINGS)}",
            field="encoding",
            value=encoding,
        ) from error


def _csv(content: bytes, delimiter: str | None, encoding: str | None, only: Collection[str] | None) -> Table:
    encoding = encoding or _encoding(content)
    text = _decoded(content, encoding)
    first = text.lstrip().partition("\n")[0]
    delimiter = delimiter or max(DELIMITERS, key=first.count)
    lines = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[tuple[int, Row]] = []
    try:
        head = check_columns(next(lines, []))
        wanted = [place for place, column in enumerate(head) if only is None or column in only]
        columns = tuple(head[place] for place in wanted)
        before = lines.line_num
        for cells in lines:
            line, before = before + 1, lines.line_num
            if not any(cells):
                continue
            if len(cells) != len(head):
                message = f"line {line} has {len(cells)} cells where the head has {len(head)}; look at its quotes"
                raise Invalid(message, field="content", value=line)
            check_count(len(rows) + 1, len(columns))
            rows.append((line, {head[place]: _whole(cells[place]) for place in wanted}))
    except csv.Error as error:
        message = f"line {lines.line_num} cannot be read: {error}; say which character parts its cells"
        raise Invalid(message, field="content", value=lines.line_num) from error
    return Table(columns, rows, delimiter, encoding)


def _encoding(content: bytes) -> str:
    """Some beginnings tell; what is no UTF-8 is taken for the one in which every byte is a character."""
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    try:
        content.decode()
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def check_columns(names: Sequence[str]) -> tuple[str, ...]:
    columns = tuple(each.strip() for each in names)
    for column in columns:
        if not column or columns.count(column) > 1 or len(column) > 120 or not column.isprintable():
            what = f"two columns '{column[:40]}'" if column else "a column without a name"
            raise Invalid(f"the head has {what}; each column has a name of its own", field="content", value=column)
    if not 0 < len(columns) <= MOST_COLUMNS:
        raise Invalid(f"a file has 1 to {MOST_COLUMNS} columns, this has {len(columns)}", field="content")
    return columns


def check_count(rows: int, columns: int) -> None:
    if rows > MOST_ROWS:
        raise Invalid(f"a file has at most {MOST_ROWS} rows; send it in parts", field="content", value=rows)
    if rows * columns > MOST_CELLS:
        raise Invalid(
            f"a file has at most {MOST_CELLS} cells; send it in parts, or leave columns out",
            field="content",
            value=rows,
        )


def _whole(cell: str) -> str:
    if len(cell) > LONGEST_CELL:
        raise Invalid(f"a cell has more than {LONGEST_CELL} characters; leave its column out", field="content")
    return cell


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


def _parquet(content: bytes, only: Collection[str] | None) -> Table:
    """Read by a process of its own: a broken file can end the one that reads it."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "gradumen.feeds.parquet_rows", *(only or ())],
            input=content,
            capture_output=True,
            timeout=PARQUET_SECONDS,
            check=False,
            env={**os.environ, "POLARS_MAX_THREADS": "1"},
        )
    except subprocess.TimeoutExpired as error:
        raise Invalid(
            f"the file could not be read in {PARQUET_SECONDS} seconds; send it in parts", field="content"
        ) from error
    lines = done.stdout.decode().split("\n")
    if done.returncode == REFUSED:
        raise Invalid(json.loads(lines[0]), field="content")
    if done.returncode != 0:
        raise Invalid("the file is no whole Parquet file; write it anew", field="content")
    columns = tuple(json.loads(lines[0]))
    rows = (json.loads(line) for line in lines[1:] if line)
    return Table(columns, [(number, dict(zip(columns, row, strict=True))) for number, row in enumerate(rows, 1)])


def text_of(value: Any) -> str:
    """A value as it would be written; a float by the fewest digits that mean it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime | date):
        return value.isoformat()
    found = value if isinstance(value, str) else json.dumps(value) if isinstance(value, list | dict) else str(value)
    return _whole(found)
