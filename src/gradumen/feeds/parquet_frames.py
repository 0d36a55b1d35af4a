"""Reads a Parquet file in a process of its own, since a broken file can end the one that reads it.

As a process: arguments are its path, how many rows it may have, and the columns that are wanted, without any all of
them. It writes batches of rows as texts: the length of each, then the rows as an Arrow stream. What is refused is
written to standard error instead.
"""

import io
import json
import os
import resource
import subprocess
import sys
import threading
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import IO

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.feeds import file_rows

MOST_MEMORY = 4 * 1024**3
"""Of addresses; it needs far less."""
BATCH = 50_000
REFUSED = 3
"""How the process ends that found something to refuse."""
SECONDS = 60
"""How long it may take for a batch."""
_MESSAGE = "the file is no whole Parquet file"


def parquet_frames(path: Path, *, most_rows: int, only: Collection[str] | None = None) -> Iterator[pl.DataFrame]:
    """Batches of a file's rows as texts; the first of a file without rows is empty and has its columns.

    Raises:
        Invalid: it cannot be read, is too large, or has columns that no file has.
    """
    command = [sys.executable, "-m", "gradumen.feeds.parquet_frames", str(path), str(most_rows), *(only or ())]
    environment = {**os.environ, "POLARS_MAX_THREADS": "1"}
    with subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=environment, stdin=subprocess.DEVNULL
    ) as child:
        assert child.stdout and child.stderr
        try:
            while (batch := _next(child, child.stdout)) is not None:
                yield pl.read_ipc_stream(io.BytesIO(batch))
            said = child.stderr.read().decode(errors="replace")
            if child.wait(SECONDS) == REFUSED:
                raise Invalid(json.loads(said.splitlines()[-1]), field="content")
            if child.returncode:
                raise Invalid(f"{_MESSAGE}; write it anew", field="content")
        finally:
            child.kill()


def _next(child: "subprocess.Popen[bytes]", out: IO[bytes]) -> bytes | None:
    """The next batch, or None at the end.

    Raises:
        Invalid: it takes too long.
    """
    late = threading.Timer(SECONDS, child.kill)
    late.start()
    try:
        head = out.read(8)
        length = int.from_bytes(head, "big")
        batch = out.read(length)
        if len(head) == 8 and len(batch) == length:
            return batch
    finally:
        late.cancel()
    if child.wait(SECONDS) == -9:
        raise Invalid(
            f"the file could not be read in {SECONDS} seconds for {BATCH} rows; send it in parts", field="content"
        )
    return None


def main() -> int:
    """Read and write all of it; gives how the process ends."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    path, most_rows, *only = sys.argv[1:]
    try:
        for frame in _frames(Path(path), int(most_rows), only):
            batch = io.BytesIO()
            frame.write_ipc_stream(batch)
            sys.stdout.buffer.write(len(batch.getvalue()).to_bytes(8, "big") + batch.getvalue())
        sys.stdout.buffer.flush()
    except Invalid as problem:
        sys.stderr.write(json.dumps(problem.message) + "\n")
        return REFUSED
    except (pl.exceptions.PolarsError, OSError) as problem:
        sys.stderr.write(json.dumps(f"{_MESSAGE}: {str(problem)[:200]}") + "\n")
        return REFUSED
    return 0


def _frames(path: Path, most_rows: int, only: Collection[str]) -> Iterator[pl.DataFrame]:
    frame = pl.scan_parquet(path)
    columns = file_rows.check_columns(frame.collect_schema().names())
    if only:
        columns = tuple(each for each in columns if each in only)
        frame = frame.select(columns)
    rows = frame.select(pl.len()).collect().item()
    file_rows.check_rows(rows, most_rows)
    for first in range(0, max(rows, 1), BATCH):
        part = frame.slice(first, BATCH).collect()
        yield from _bounded(pl.DataFrame([_texts(part[column]) for column in columns]))


def _bounded(frame: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """The same rows in frames none of which has too much text for whoever reads it."""
    size = sum(frame.select(pl.all().str.len_bytes().sum()).row(0))
    if size <= file_rows.MOST_TEXT or frame.height == 1:
        yield frame
        return
    half = frame.height // 2
    yield from _bounded(frame[:half])
    yield from _bounded(frame[half:])


def _texts(values: pl.Series) -> pl.Series:
    """Values as they would be written, no value as the empty text."""
    if values.dtype.is_nested() or values.dtype == pl.Binary or values.dtype == pl.Object:
        return pl.Series(values.name, [file_rows.text_of(each) for each in values.to_list()], dtype=pl.String)
    if values.dtype in (pl.Datetime, pl.Date, pl.Time):
        # Few times stand in many rows, and each takes long to write.
        times = values.drop_nulls().unique()
        written = times.dt.to_string("iso:strict").str.replace(r"\.0+(\D|$)", "${1}")
        values = values.replace_strict(times, written, return_dtype=pl.String)
    texts = values.cast(pl.String).fill_null("")
    file_rows.check_length(texts.str.len_chars().max())
    return texts


if __name__ == "__main__":
    sys.exit(main())
