"""Reads a Parquet file from standard input, in a process of its own, and writes its rows as lines of JSON.

Arguments are the columns that are wanted, without any all of them. The first line has the columns. What is refused is
written instead, as a text.
"""

import io
import json
import resource
import sys
from collections.abc import Sequence

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.feeds import reading_files

MOST_MEMORY = 4 * 1024**3
"""Of addresses; it needs far less."""


def main() -> int:
    """Read and write all of it; gives how the process ends."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        found, code = "\n".join(_lines(sys.stdin.buffer.read(), sys.argv[1:])), 0
    except Invalid as problem:
        found, code = json.dumps(problem.message), reading_files.REFUSED
    except (pl.exceptions.PolarsError, OSError) as problem:
        found, code = json.dumps(f"the file is no whole Parquet file: {str(problem)[:200]}"), reading_files.REFUSED
    sys.stdout.write(found)
    return code


def _lines(content: bytes, only: Sequence[str]) -> list[str]:
    frame = pl.scan_parquet(io.BytesIO(content))
    columns = reading_files.check_columns(frame.collect_schema().names())
    if only:
        columns = tuple(each for each in columns if each in only)
        frame = frame.select(columns)
    reading_files.check_count(frame.select(pl.len()).collect().item(), len(columns))
    lines, size = [json.dumps(columns)], 0
    for row in frame.collect().iter_rows():
        cells = [reading_files.text_of(value) for value in row]
        # A text that many rows share is there once in the file.
        size += sum(map(len, cells))
        if size > reading_files.MOST_BYTES:
            most = reading_files.MOST_BYTES >> 20
            raise Invalid(f"the file has more than {most} MiB of text; send it in parts", field="content")
        lines.append(json.dumps(cells))
    return lines


if __name__ == "__main__":
    sys.exit(main())
