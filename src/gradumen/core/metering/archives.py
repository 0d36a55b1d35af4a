"""Archived readings as columns: many in one Parquet file, from which explanations still read them."""

import io
from collections.abc import Sequence
from datetime import datetime
from typing import Any

import polars as pl

from gradumen.core.exact import QUANTITY_PLACES

_MOMENT = pl.Datetime("ms", "UTC")
COLUMNS: dict[str, Any] = {
    "resource": pl.Int64,
    "meter": pl.Int64,
    "start": _MOMENT,
    "delivery": pl.Int64,
    "position": pl.Int64,
    "end": _MOMENT,
    "origin": pl.Int64,
    "attributes": pl.Int64,
    "event": pl.String,
    "sequence": pl.Int64,
    "quantity": pl.Decimal(38, QUANTITY_PLACES),
    "replaced_by": pl.Int64,
}
"""What is kept of a reading, by the numbers that the database has for it; ``replaced_by`` is a delivery's or null."""
_UNFIT = "a reading has a value that an archive cannot hold"


def pack(rows: Sequence[Sequence[Any]]) -> bytes:
    """Readings as a Parquet file.

    Args:
        rows: the values of `COLUMNS`, in their order; moments in UTC without saying so.

    Raises:
        ValueError: something of them does not fit.
    """
    bare = {name: pl.Datetime("ms") if kind == _MOMENT else kind for name, kind in COLUMNS.items()}
    columns = zip(*rows, strict=True) if rows else ((),) * len(bare)
    try:
        frame = pl.DataFrame([pl.Series(*each) for each in zip(bare, columns, bare.values(), strict=True)])
    except pl.exceptions.PolarsError as problem:
        raise ValueError(_UNFIT) from problem
    # A value that does not fit its column may be none, without a word.
    if frame.drop("replaced_by").null_count().sum_horizontal().sum():
        raise ValueError(_UNFIT)
    moments = [name for name, kind in COLUMNS.items() if kind == _MOMENT]
    frame = frame.with_columns(pl.col(name).dt.replace_time_zone("UTC") for name in moments)
    file = io.BytesIO()
    frame.write_parquet(file, compression="zstd")
    return file.getvalue()


def unpack(content: bytes) -> pl.DataFrame:
    """The readings of a Parquet file that `pack` wrote."""
    return pl.read_parquet(io.BytesIO(content))


def nothing() -> pl.DataFrame:
    """No readings."""
    return pl.DataFrame(schema=COLUMNS)


def in_groups(frame: pl.DataFrame, moments: Sequence[datetime]) -> list[tuple[Any, ...]]:
    """Readings that stand and are alike in all that whose they are goes by, started on one day and ended on one.

    Resource, meter, origin, attributes, first day, last day, how many, and when the first started.

    Args:
        moments: at which somebody moved: what started before one is apart from what did after.
    """
    days = {"day": pl.col("start").dt.date(), "last": (pl.col("end") - pl.duration(seconds=1)).dt.date()}
    keys = ("resource", "meter", "origin", "attributes", "day", "last")
    era = pl.sum_horizontal(pl.lit(0), *(pl.col("start") >= each for each in moments))
    stands = frame.filter(pl.col("replaced_by").is_null()).with_columns(**days, era=era)
    found = stands.group_by(*keys, "era").agg(pl.len(), pl.col("start").min())
    return found.drop("era").rows()
