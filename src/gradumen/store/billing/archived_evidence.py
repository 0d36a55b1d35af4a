"""The archived readings that a charge was made from."""

from collections.abc import Collection
from datetime import datetime, timedelta

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.metering.archived_readings import archived, has_archived
from gradumen.store.metering.tables import OriginRow, ResourceRow


def archived_of(
    tx: Session,
    charge: ChargeRow,
    meter: int,
    owners: Collection[str],
    *,
    span: tuple[datetime, datetime],
    offset: timedelta,
    newest: int,
) -> pl.DataFrame:
    """What touches a charge's time, by its owner or a part of the charge, as it stood after a delivery.

    As `gradumen.store.billing.charges.readings_of` chooses them, in the order in which they came.

    Args:
        owners: the projects that the charge has parts of, as ``organisation/project``.
        span: from after when, and before when, they start.
        offset: of the seller's clocks from UTC, by which parts have their days.
    """
    after, before = span
    if not has_archived(tx, after, before):
        return pl.DataFrame()
    part = ChargePartRow
    days = pl.DataFrame(
        tx.execute(select(part.resource, part.day).where(part.charge_id == charge.id).distinct()).all(),
        schema={"name": pl.String, "on": pl.Date},
        orient="row",
    )
    query = select(ResourceRow.id, ResourceRow.name).where(ResourceRow.name.in_(days["name"].unique().to_list()))
    names: dict[int, str] = dict(tx.execute(query).all())
    frame = archived(tx, after + timedelta(seconds=1), before, names).filter(
        pl.col("meter") == meter,
        pl.col("attributes").is_in(charge.explanation["attribute_sets"]),
        pl.col("end") > charge.service_start,
        pl.col("delivery") <= newest,
        pl.col("replaced_by").is_null() | (pl.col("replaced_by") > newest),
    )
    if frame.is_empty():
        return frame
    origins = select(OriginRow.id, OriginRow.owner).where(OriginRow.id.in_(frame["origin"].unique().to_list()))
    owner_of: dict[int, str | None] = dict(tx.execute(origins).all())
    ours = [number for number, owner in owner_of.items() if owner in owners]
    nobodys = [number for number, owner in owner_of.items() if owner is None]
    frame = frame.with_columns(
        name=pl.col("resource").replace_strict(names, return_dtype=pl.String),
        first=(pl.col("start") + offset).dt.date(),
        last=(pl.col("end") + offset - timedelta(seconds=1)).dt.date(),
    )
    ruled = frame.filter(pl.col("origin").is_in(nobodys))
    ruled = pl.concat(
        ruled.join(days, left_on=["name", day], right_on=["name", "on"], how="semi") for day in ("first", "last")
    ).unique(["delivery", "position"])
    return pl.concat([frame.filter(pl.col("origin").is_in(ours)), ruled]).sort("delivery", "position")
