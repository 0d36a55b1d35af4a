"""What files of rows may be, and the rows of CSV as they are read one after the other."""

import codecs
import csv
import json
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from io import TextIOWrapper
from pathlib import PurePath
from typing import Any, BinaryIO

from gradumen.core.errors import Invalid

MOST_COLUMNS = 200
LONGEST_CELL = 4000
LONGEST_HEAD = 100_000
DELIMITERS = (",", ";", "\t", "|")
ENCODINGS = ("utf-8", "utf-16", "latin-1")
CSV = (".csv", ".tsv", ".txt")
GZIP = b"\x1f\x8b"
"""How what is packed begins."""
MOST_TEXT = 64 * 1024 * 1024
"""Of rows that are looked at together: many may share a long text in the file."""
_STEP = 1 << 20


def ending_of(name: str) -> str:
    """The ending of a file's name that says what it is; that it is packed, too, does not."""
    suffixes = [each.lower() for each in PurePath(name).suffixes]
    if suffixes and suffixes[-1] == ".gz":
        suffixes.pop()
    return suffixes[-1] if suffixes else ""


def check_columns(names: Sequence[str]) -> tuple[str, ...]:
    """The columns of a head.

    Raises:
        Invalid: one has no name or that of another, or there are too many.
    """
    columns = tuple(each.strip() for each in names)
    for column in columns:
        if not column or columns.count(column) > 1 or len(column) > 120 or not column.isprintable():
            what = f"two columns '{column[:40]}'" if column else "a column without a name"
            raise Invalid(f"the head has {what}; each column has a name of its own", field="content", value=column)
    if not 0 < len(columns) <= MOST_COLUMNS:
        raise Invalid(f"a file has 1 to {MOST_COLUMNS} columns, this has {len(columns)}", field="content")
    return columns


def check_rows(rows: int, most: int, instead: str = "send it in parts") -> None:
    """Check how many rows a file has; of one with too many is told what to do ``instead``.

    Raises:
        Invalid: more than it may have.
    """
    if rows > most:
        raise Invalid(f"a file has at most {most} rows; {instead}", field="content", value=rows)


def check_length(characters: Any) -> None:
    """Check how long the longest of some cells is, if there is any.

    Raises:
        Invalid: longer than it may be.
    """
    if characters is not None and characters > LONGEST_CELL:
        raise Invalid(f"a cell has more than {LONGEST_CELL} characters; leave its column out", field="content")


def text_of(value: Any) -> str:
    """A value as it would be written; a float by the fewest digits that mean it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime | date):
        return value.isoformat()
    text = value if isinstance(value, str) else json.dumps(value) if isinstance(value, list | dict) else str(value)
    check_length(len(text))
    return text


def encoding_of(file: BinaryIO) -> str:
    """Some beginnings tell; what is no UTF-8 is taken for the one in which every byte is a character."""
    file.seek(0)
    if file.read(2) in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    file.seek(0)
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        while step := file.read(_STEP):
            decoder.decode(step)
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def not_in(encoding: str, error: Exception) -> Invalid:
    """What is said of a file that is not written as it is said to be."""
    return Invalid(
        f"the file is not written in {encoding} ({error}); say which encoding it is in: {', '.join(ENCODINGS)}",
        field="encoding",
        value=encoding,
    )


@dataclass(frozen=True, slots=True)
class CsvRows:
    """A CSV file whose head was read: its columns that are wanted, and its rows with the line on which each begins."""

    columns: tuple[str, ...]
    delimiter: str
    encoding: str
    rows: Iterator[tuple[int, list[str]]]


@contextmanager
def csv_rows(
    file: BinaryIO, *, delimiter: str | None = None, encoding: str | None = None, only: Collection[str] | None = None
) -> Iterator[CsvRows]:
    """Read a CSV file, its rows as they are asked for; the file stays open.

    Args:
        file: one in which can be gone back.
        delimiter, encoding: without them those that fit are found.
        only: columns that are wanted; the others are passed over.

    Raises:
        Invalid: its head cannot be read; and while rows are asked for: a row cannot be, names its line.
    """
    encoding = encoding or encoding_of(file)
    file.seek(0)
    text = TextIOWrapper(file, encoding="utf-8-sig" if encoding == "utf-8" else encoding, newline="")
    try:
        delimiter = delimiter or max(DELIMITERS, key=_first_line(text).count)
        lines = csv.reader(text, delimiter=delimiter, strict=True)
        head = check_columns(next(_read(lines, encoding), (0, []))[1])
        places = [place for place, column in enumerate(head) if only is None or column in only]
        columns = tuple(head[each] for each in places)
        yield CsvRows(columns, delimiter, encoding, _rows(lines, encoding, len(head), places))
    except UnicodeError as error:
        raise not_in(encoding, error) from error
    finally:
        text.detach()


def _first_line(text: TextIOWrapper) -> str:
    """The first that has anything in it; nothing is read then."""
    while (line := text.readline(LONGEST_HEAD)) and not line.strip():
        pass
    text.seek(0)
    return line


def _rows(lines: Any, encoding: str, width: int, places: Sequence[int]) -> Iterator[tuple[int, list[str]]]:
    for line, cells in _read(lines, encoding):
        if not any(cells):
            continue
        if len(cells) != width:
            message = f"line {line} has {len(cells)} cells where the head has {width}; look at its quotes"
            raise Invalid(message, field="content", value=line)
        wanted = [cells[place] for place in places]
        check_length(max(map(len, wanted), default=0))
        yield line, wanted


def _read(lines: Any, encoding: str) -> Iterator[tuple[int, list[str]]]:
    """Rows with the line on which each begins."""
    before = lines.line_num
    try:
        for cells in lines:
            line, before = before + 1, lines.line_num
            yield line, cells
    except csv.Error as error:
        message = f"line {lines.line_num} cannot be read: {error}; say which character parts its cells"
        raise Invalid(message, field="content", value=lines.line_num) from error
    except UnicodeError as error:
        raise not_in(encoding, error) from error
