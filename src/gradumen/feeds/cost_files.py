"""Cost files (FOCUS, as CSV or Parquet, also packed): their rows in batches, or all lines that are wrong."""

import gzip
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from tempfile import NamedTemporaryFile

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.metering.cost_frames import LINE, CostFrame, FrameReader
from gradumen.core.metering.imported_costs import READ, check_columns
from gradumen.feeds.file_rows import CSV, GZIP, MOST_TEXT, check_rows, csv_rows, ending_of
from gradumen.feeds.parquet_frames import parquet_frames

MOST_ROWS = 5_000_000
MOST_AT_ONCE = 100_000
"""Rows of a file that comes by one call, which waits until it is taken."""
MOST_BYTES = 4 * 1024**3
"""Of a file as it is when unpacked."""
NAMED = 20
"""Wrong lines that are named at once."""
BATCH = 50_000


def read_costs(name: str, content: bytes, latest: date) -> list[CostFrame]:
    """The rows of a cost file of one call; see `cost_frames`."""
    with NamedTemporaryFile() as file:
        file.write(content)
        file.flush()
        frames = []
        rows = 0
        for frame in cost_frames(name, Path(file.name), latest):
            rows += frame.rows.height
            check_rows(rows, MOST_AT_ONCE, "send it in pieces (POST /uploads), in which one may have more")
            frames.append(frame)
        return frames


def cost_frames(name: str, path: Path, latest: date) -> Iterator[CostFrame]:
    """The rows of a cost file in batches; one wrong line refuses all of it, since sets of rows count whole.

    After the first batch with wrong lines no more are given, and at the end they are told.

    Args:
        name: what the file is called, whose ending says what it is.
        latest: the last day on which a charge may begin.

    Raises:
        Invalid: it cannot be read, lacks columns, has no rows or too many, or has wrong lines; names them.
    """
    rows = wrong = 0
    named: list[str] = []
    reader = FrameReader(latest)
    with _unpacked(path) as file:
        for cells in _cells(ending_of(name), name, file):
            check_columns(cells.columns)
            rows += cells.height
            check_rows(rows, MOST_ROWS)
            frame = reader.read(cells)
            wrong += len(frame.wrong)
            named += (f"line {line}: {said}" for line, said in frame.wrong[: max(NAMED - len(named), 0)])
            if not wrong and cells.height:
                yield frame
    if not rows:
        raise Invalid("the file has no rows; look whether it came whole", field="content")
    if wrong:
        more = f"; and {wrong - NAMED} more" if wrong > NAMED else ""
        raise Invalid(
            f"{wrong} of {rows} rows are wrong, so none is taken: {'; '.join(named)}{more}",
            field="content",
        )


def _cells(ending: str, name: str, path: Path) -> Iterator[pl.DataFrame]:
    """Texts of the columns that are read, with the line (or number, from 1) of each row."""
    if ending == ".parquet":
        first = 1
        for frame in parquet_frames(path, most_rows=MOST_ROWS, only=READ):
            yield frame.with_columns(pl.int_range(first, first + frame.height).alias(LINE))
            first += frame.height
    elif ending in CSV:
        with path.open("rb") as file, csv_rows(file, only=READ) as read:
            schema = [LINE, *read.columns]
            for batch in _batches(read.rows):
                lines, cells = zip(*batch, strict=True)
                columns = [lines, *zip(*cells, strict=True)]
                yield pl.DataFrame(dict(zip(schema, columns, strict=True)))
    else:
        raise Invalid(
            f"{name[:60]}: a cost file ends in {', '.join(CSV)} or .parquet, or one of these and .gz", field="name"
        )


def _batches(rows: Iterable[tuple[int, list[str]]]) -> Iterator[list[tuple[int, list[str]]]]:
    """Rows in batches, none of which has too many or too much text."""
    batch: list[tuple[int, list[str]]] = []
    size = 0
    for row in rows:
        batch.append(row)
        size += sum(map(len, row[1]))
        if len(batch) == BATCH or size > MOST_TEXT:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


@contextmanager
def _unpacked(path: Path) -> Iterator[Path]:
    """The file as it is when unpacked."""
    with path.open("rb") as packed:
        if packed.read(2) != GZIP:
            yield path
            return
    with NamedTemporaryFile() as plain, gzip.open(path) as content:
        try:
            while step := content.read(1 << 20):
                plain.write(step)
                if plain.tell() > MOST_BYTES:
                    most = MOST_BYTES >> 30
                    raise Invalid(f"unpacked, the file has more than {most} GiB; send it in parts", field="content")
        except (EOFError, zlib.error, gzip.BadGzipFile) as error:
            raise Invalid(f"the file is no whole gzip file ({error}); send it whole", field="content") from error
        plain.flush()
        yield Path(plain.name)
