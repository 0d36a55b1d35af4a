"""Spells of a seller's buyers, each with the line that takes it: the one that takes the usage of the same hours."""

from collections.abc import Collection, Sequence
from datetime import datetime
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import QUANTITY_PLACES, scaled
from gradumen.core.periods import hour_start
from gradumen.core.rating.spells import SPELL_SCHEMA
from gradumen.store.metering.spells import spells_in
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.usage_frames import Resources

_OF = ["meter", "attributes", "project", "resource"]
_RUN = ["meter", "project", "resource", "run"]
_PIECE = {name: SPELL_SCHEMA[name] for name in (*_OF, "start", "end", "level")} | {"run": pl.Int64}
NO_SPELLS, NO_PIECES = pl.DataFrame(schema=SPELL_SCHEMA), pl.DataFrame(schema=_PIECE)


def load_pieces(
    tx: Session,
    usage: pl.DataFrame,
    projects: Sequence[ProjectRow],
    resources: Resources,
    published: Published,
    period: tuple[datetime, datetime],
) -> pl.DataFrame:
    """What there is of spells that reach into a period, and of those that they go on from.

    Args:
        usage: that of the period; ``projects`` and ``resources`` are what its numbers mean.
    """
    held = [number for slug, number in published.meter_ids.items() if published.meters[slug].combine is Combine.HELD]
    if not held:
        return NO_PIECES
    meters = usage.filter(pl.col("meter").is_in(held))["meter"].unique().to_list()
    return _pieces(tx, projects, resources, meters, period) if meters else NO_PIECES


def spells_of(usage: pl.DataFrame, pieces: pl.DataFrame, zone: ZoneInfo) -> pl.DataFrame:
    """The spells of usage, each with the line that takes it: see `gradumen.core.rating.spells`."""
    if not pieces.height:
        return NO_SPELLS
    taken = usage.filter(pl.col("meter").is_in(pieces["meter"].unique().implode()))
    return with_lines(pieces, _windows(taken, zone)) if taken.height else NO_SPELLS


def _pieces(
    tx: Session,
    projects: Sequence[ProjectRow],
    resources: Resources,
    meters: Collection[int],
    period: tuple[datetime, datetime],
) -> pl.DataFrame:
    index = {each.number: number for number, each in enumerate(projects)}
    rows = [
        (
            each.meter_id,
            each.attribute_set_id,
            index[each.project_number],
            resources.place[each.resource_id],
            int(each.start_at.timestamp()),
            int(each.end_at.timestamp()),
            scaled(each.level, QUANTITY_PLACES),
            int(each.run_start.timestamp()),
        )
        for each in spells_in(tx, list(index), meters, *period)
        if each.resource_id in resources.place
    ]
    return pl.DataFrame(rows, schema=_PIECE, orient="row")


def _windows(usage: pl.DataFrame, zone: ZoneInfo) -> pl.DataFrame:
    """Of each line, and what its usage is of, the hours in a row that it takes, as moments: ``opens``, ``closes``."""
    keys = ["line", *_OF]
    hours = usage.select(*keys, "hour").unique().sort(*keys, "hour")
    begins = (pl.col("hour") - pl.col("hour").shift(1)).over(keys).fill_null(0) != 1
    runs = hours.with_columns(begins.cum_sum().alias("row")).group_by(*keys, "row")
    found = runs.agg(pl.col("hour").min().alias("first"), (pl.col("hour").max() + 1).alias("last"))
    moments = {
        hour: int(hour_start(hour, zone).timestamp()) for name in ("first", "last") for hour in found[name].to_list()
    }
    at = {name: pl.col(name).replace_strict(moments, return_dtype=pl.Int64) for name in ("first", "last")}
    return found.select(*keys, at["first"].alias("opens"), at["last"].alias("closes"))


def with_lines(pieces: pl.DataFrame, windows: pl.DataFrame) -> pl.DataFrame:
    """Each piece with the lines that take some of it, and with those that take what goes on from it.

    Of the latter it is there only because their spells begin with it: ``opens`` is ``closes``.
    """
    numbered = pieces.with_row_index("piece")
    joined = numbered.join(windows, on=_OF)
    taken = joined.filter((pl.col("opens") < pl.col("end")) & (pl.col("closes") > pl.col("start")))
    lines = taken.select(*_RUN, "line").unique()
    others = numbered.join(lines, on=_RUN).join(
        taken.select("piece", "line").unique(), on=["piece", "line"], how="anti"
    )
    names = {name: pl.col(name).cast(kind) for name, kind in SPELL_SCHEMA.items()}
    nothing = others.with_columns(opens=pl.lit(0), closes=pl.lit(0))
    return pl.concat([each.select(*names.values()) for each in (taken, nothing)])
