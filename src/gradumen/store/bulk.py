"""Many rows at once: from columns in memory straight into a table, without a statement or an object for each."""

import os

import polars as pl
from sqlalchemy.orm import Session


def load_rows(tx: Session, table: str, rows: pl.DataFrame) -> None:
    """Add rows of numbers, days and texts without tabs, backslashes and line ends; columns are named as the table's.

    LOAD DATA takes what does not fit a column as if it were something else and only warns, so a warning is an error.

    Raises:
        RuntimeError: the database did not take all rows as they are; whoever made them is wrong.
    """
    if not rows.height:
        return
    descriptor = os.memfd_create("rows")
    try:
        with os.fdopen(os.dup(descriptor), "wb") as file:
            rows.write_csv(file, include_header=False, separator="\t", quote_style="never", null_value="\\N")
        connection = tx.connection()
        loaded = connection.exec_driver_sql(
            f"LOAD DATA LOCAL INFILE '/proc/self/fd/{descriptor}' INTO TABLE {table} CHARACTER SET utf8mb4 "
            f"FIELDS TERMINATED BY '\\t' LINES TERMINATED BY '\\n' ({', '.join(rows.columns)})"
        )
        warnings = connection.exec_driver_sql("SHOW WARNINGS LIMIT 1").fetchall()
        if warnings or loaded.rowcount != rows.height:
            said = warnings[0][2] if warnings else "no reason given"
            raise RuntimeError(f"{rows.height} rows did not all fit {table} ({loaded.rowcount} did): {said}")
    finally:
        os.close(descriptor)


def decimal_text(column: str, places: int) -> pl.Expr:
    """A column of whole numbers of the last of so many decimals, as the text of the decimal numbers."""
    values = pl.col(column)
    unit = pl.lit(10**places, dtype=pl.Int128)
    size = values.abs()
    sign = pl.when(values < 0).then(pl.lit("-")).otherwise(pl.lit(""))
    return pl.concat_str(
        sign, (size // unit).cast(pl.String), pl.lit("."), (size % unit).cast(pl.String).str.zfill(places)
    ).alias(column)
