"""Usage that no subscription covers."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

import polars as pl

from gradumen.core.rating.rating import USAGE_SCHEMA
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published

LOOSE_SCHEMA = {name: kind for name, kind in USAGE_SCHEMA.items() if name != "line"} | {"through": pl.Int32}
"""Usage that no line takes; ``through`` is the number of the buyer that its owner was charged through then."""


@dataclass(frozen=True, slots=True)
class Unassigned:
    """Usage of a project's resource that no subscription covers, in millionths; ``buyer`` is the seller's own.

    ``resource`` is its place among the resources, or `gradumen.core.rating.charges.ALL`.
    """

    buyer: UUID
    owner: UUID
    project: int
    meter: str
    path: str
    resource: int
    quantity: int


@dataclass(frozen=True, slots=True)
class Through:
    """The buyer through whom somebody is charged, from a moment up to (not including) another.

    Where somebody moves at that moment, it is the beginning of a day on clocks that may be others than the seller's:
    what is of a day goes by ``first`` and ``until``, from a day up to another.
    """

    buyer: UUID
    start: datetime
    end: datetime
    first: date = date.min
    until: date = date.max


def unassigned_usage(
    tx: Session,
    frame: pl.DataFrame,
    assigned: pl.DataFrame,
    published: Published,
    projects: list[ProjectRow],
    buyers: Mapping[UUID, Sequence[Through]],
) -> Iterator[Unassigned]:
    """What of a frame of usage is not among what was assigned, by whom it is and what it is of."""
    if frame.height == assigned.height:
        return
    keys = ["project", "meter", "through", "resource"]
    if "through" not in frame.columns:
        frame, assigned = (each.with_columns(pl.lit(0).alias("through")) for each in (frame, assigned))
    everything = frame.group_by(keys).agg(pl.col("quantity").sum())
    taken = assigned.group_by(keys).agg(pl.col("quantity").sum().alias("taken"))
    rest = everything.join(taken, on=keys, how="left").with_columns(pl.col("taken").fill_null(0)).sort(keys)
    slugs = {number: slug for slug, number in published.meter_ids.items()}
    owners = organisations_by_id(tx, {project.organisation_id for project in projects})
    for project, meter, through, resource, whole, part in rest.select(*keys, "quantity", "taken").iter_rows():
        if whole != part:
            row = projects[project]
            owner = row.organisation_id
            path = f"{owners[owner].slug}/{row.slug}"
            buyer = buyers[owner][through].buyer
            yield Unassigned(buyer, owner, row.number, slugs[meter], path, resource, whole - part)


def loose_usage(told: pl.DataFrame, assigned: pl.DataFrame, resources: Collection[int]) -> pl.DataFrame:
    """The hours of some resources that no line takes; see `LOOSE_SCHEMA`."""
    if not resources:
        return pl.DataFrame(schema=LOOSE_SCHEMA)
    keys = ["project", "meter", "attributes", "resource", "hour"]
    if "through" not in told.columns:
        told = told.with_columns(pl.lit(0).alias("through"))
    some = told.filter(pl.col("resource").is_in(resources))
    found = some.join(assigned.select(keys).filter(pl.col("resource").is_in(resources)), on=keys, how="anti")
    return found.select(pl.col(name).cast(kind) for name, kind in LOOSE_SCHEMA.items())
