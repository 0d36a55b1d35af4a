"""Many rows at once: from columns in memory straight into a table, without a statement or an object for each."""

import os
from collections.abc import Collection

import polars as pl
from sqlalchemy.orm import Session

_KNOWN = 1062
"""The warning for a row whose key is there already."""


def load_rows(tx: Session, table: str, rows: pl.DataFrame) -> None:
    """Add rows of numbers, times and texts without tabs, backslashes and line ends; columns are named as the table's.

    Times that have a zone are stored in UTC, as all are.

    Raises:
        RuntimeError: the database did not take all rows as they are; whoever made them is wrong.
    """
    loaded = _load(tx, table, rows, ())
    if loaded != rows.height:
        raise RuntimeError(f"{rows.height} rows did not all fit {table}: {loaded} did")


def add_new_rows(tx: Session, table: str, rows: pl.DataFrame, *, binary: Collection[str] = ()) -> int:
    """Add those rows whose key is new, and leave the others; gives how many.

    Args:
        binary: columns that are given in hexadecimal.

    Raises:
        RuntimeError: the database did not take a new row as it is.
    """
    return _load(tx, table, rows, binary)


def _load(tx: Session, table: str, rows: pl.DataFrame, binary: Collection[str]) -> int:
    """LOAD DATA takes what does not fit a column as if it were something else and only warns; a warning is an error."""
    if not rows.height:
        return 0
    names = ", ".join(f"@{name}" if name in binary else f"`{name}`" for name in rows.columns)
    made = ", ".join(f"`{name}` = UNHEX(@{name})" for name in rows.columns if name in binary)
    descriptor = os.memfd_create("rows")
    try:
        with os.fdopen(os.dup(descriptor), "wb") as file:
            rows.write_csv(
                file,
                include_header=False,
                separator="\t",
                quote_style="never",
                null_value="\\N",
                datetime_format="%Y-%m-%d %H:%M:%S%.6f",
            )
        connection = tx.connection()
        loaded = connection.exec_driver_sql(
            f"LOAD DATA LOCAL INFILE '/proc/self/fd/{descriptor}' INTO TABLE {table} CHARACTER SET utf8mb4 "
            f"FIELDS TERMINATED BY '\\t' LINES TERMINATED BY '\\n' ({names})" + (f" SET {made}" if made else "")
        )
        # Each row that is there already gives one warning.
        if connection.exec_driver_sql("SHOW COUNT(*) WARNINGS").scalar() != rows.height - loaded.rowcount:
            said = [each for _, number, each in connection.exec_driver_sql("SHOW WARNINGS") if number != _KNOWN]
            raise RuntimeError(f"{rows.height} rows did not all fit {table}: {', '.join(said[:1])}")
        return int(loaded.rowcount)
    finally:
        os.close(descriptor)


def escaped(column: str) -> pl.Expr:
    """A column of texts as they stand in rows that are loaded."""
    return pl.col(column).str.replace_all("\\", "\\\\", literal=True)


def decimal_text(column: str, places: int) -> pl.Expr:
    """A column of whole numbers of the last of so many decimals, as the text of the decimal numbers."""
    values = pl.col(column)
    unit = pl.lit(10**places, dtype=pl.Int128)
    size = values.abs()
    sign = pl.when(values < 0).then(pl.lit("-")).otherwise(pl.lit(""))
    return pl.concat_str(
        sign, (size // unit).cast(pl.String), pl.lit("."), (size % unit).cast(pl.String).str.zfill(places)
    ).alias(column)
