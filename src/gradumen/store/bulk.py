"""Many rows at once: from columns in memory straight into a table, without a statement or an object for each."""

import os
from collections.abc import Callable, Sequence
from typing import BinaryIO

import polars as pl
from sqlalchemy.orm import Session

LISTED = 900
"""Numbers in a list of a statement: from 1,000 on the database makes a table of it, and no ranges to read."""
_KNOWN = 1062
"""The warning for a row whose key is there already."""


def load_rows(tx: Session, table: str, rows: pl.DataFrame) -> None:
    """Add rows of numbers, days and texts without tabs, backslashes and line ends; columns are named as the table's.

    Raises:
        RuntimeError: the database did not take all rows as they are; whoever made them is wrong.
    """

    def write(file: BinaryIO) -> None:
        rows.write_csv(file, include_header=False, separator="\t", quote_style="never", null_value="\\N")

    _load(tx, table, ", ".join(f"`{name}`" for name in rows.columns), rows.height, write, known=False)


def load_lines(tx: Session, table: str, names: str, lines: Sequence[str], *, known: bool = False) -> int:
    """Add rows that are written out already, a line each, their columns with a tab between; gives how many.

    Args:
        names: what LOAD DATA reads of each line, and after ``) SET`` what it makes of it.
        lines: texts in them `escaped`.
        known: rows whose key is there already are left, which else is an error.

    Raises:
        RuntimeError: the database did not take a row as it is; whoever made it is wrong.
    """
    return _load(tx, table, names, len(lines), lambda file: file.write(("\n".join(lines) + "\n").encode()), known=known)


def _load(tx: Session, table: str, names: str, count: int, write: Callable[[BinaryIO], object], *, known: bool) -> int:
    """LOAD DATA takes what does not fit a column as if it were something else and only warns; a warning is an error."""
    if not count:
        return 0
    descriptor = os.memfd_create("rows")
    try:
        with os.fdopen(os.dup(descriptor), "wb") as file:
            write(file)
        connection = tx.connection()
        loaded = connection.exec_driver_sql(
            f"LOAD DATA LOCAL INFILE '/proc/self/fd/{descriptor}' INTO TABLE {table} CHARACTER SET utf8mb4 "
            f"FIELDS TERMINATED BY '\\t' LINES TERMINATED BY '\\n' ({names})"
        )
        # Each row that is there already gives one warning.
        left = count - loaded.rowcount
        if connection.exec_driver_sql("SHOW COUNT(*) WARNINGS").scalar() != left or (left and not known):
            said = [each for _, number, each in connection.exec_driver_sql("SHOW WARNINGS") if number != _KNOWN]
            raise RuntimeError(f"{count} rows did not all fit {table}, {left} are left: {', '.join(said[:1])}")
        return int(loaded.rowcount)
    finally:
        os.close(descriptor)


def escaped(text: str) -> str:
    """A text without tabs and line ends as it stands in a line."""
    return text.replace("\\", "\\\\")


def decimal_text(column: str, places: int) -> pl.Expr:
    """A column of whole numbers of the last of so many decimals, as the text of the decimal numbers."""
    values = pl.col(column)
    unit = pl.lit(10**places, dtype=pl.Int128)
    size = values.abs()
    sign = pl.when(values < 0).then(pl.lit("-")).otherwise(pl.lit(""))
    return pl.concat_str(
        sign, (size // unit).cast(pl.String), pl.lit("."), (size % unit).cast(pl.String).str.zfill(places)
    ).alias(column)
