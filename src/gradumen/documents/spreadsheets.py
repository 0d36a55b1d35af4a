"""What every file has that a spreadsheet may open."""

import polars as pl

_FORMULA = "^[=+@\t\r-]"


def safe(name: str) -> pl.Expr:
    """A column of text in which no spreadsheet takes anything for a formula."""
    column = pl.col(name)
    return pl.when(column.str.contains(_FORMULA)).then("'" + column).otherwise(column).alias(name)
