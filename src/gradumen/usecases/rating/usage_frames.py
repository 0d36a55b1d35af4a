"""Usage as rating takes it: by hour where single hours make a difference, else added up between what changes."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.metering.packed_days import Numbers, unpack_sums
from gradumen.core.periods import hour_number
from gradumen.core.rating.hours_apart import BY_HOUR, HoursApart
from gradumen.core.rating.rating import USAGE_SCHEMA, RatedLine
from gradumen.store.metering.usage import first_of_names, usage_rows
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.unassigned_usage import Through

_NO_LINE = {name: kind for name, kind in USAGE_SCHEMA.items() if name != "line"}


@dataclass(frozen=True, slots=True)
class Resources:
    """Names of resources, and by which number each is stored: the smallest of all that have the name.

    ``place`` is where each stored number stands among them.
    """

    names: list[str]
    ids: list[int]
    place: Mapping[int, int]


def hours_apart(
    rated: Mapping[int, RatedLine],
    buyers: Mapping[UUID, Sequence[Through]],
    also: Iterable[RateCardVersion],
    published: Published,
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
) -> HoursApart:
    """What tells hours of usage apart: cards, lines, and whom buyers buy through; rules begin and end with days.

    Args:
        also: versions by which the same usage is rated too, besides those of the lines.
    """
    moments = {moment for line in rated.values() for moment in (line.start, line.end) if moment is not None}
    moments |= {moment for through in buyers.values() for each in through for moment in (each.start, each.end)}
    versions = {id(version): version for line in rated.values() for version in line.versions}
    return HoursApart(
        [*versions.values(), *also],
        {slug: meter.sampling for slug, meter in published.meters.items()},
        {number: slug for slug, number in published.meter_ids.items()},
        (hour_number(period[0], zone), hour_number(period[1], zone)),
        zone,
        {hour_number(moment, zone) for moment in moments},
    )


def usage_frame(
    tx: Session,
    projects: Sequence[ProjectRow],
    apart: HoursApart,
    period: tuple[datetime, datetime],
    zone: ZoneInfo,
    others: Collection[int],
    named: Mapping[int, str],
) -> tuple[pl.DataFrame, Resources]:
    """Usage as a frame that names projects and resources by number, and the resources in the numbers' order.

    What two feeds call by one name is one resource.

    Args:
        others: resources that have numbers too.
        named: by attribute set the composite that it names.
    """
    start, end = period
    rows = usage_rows(tx, [project.number for project in projects], start.date(), end.date()) if start < end else []
    numbered = first_of_names(tx, {row[3] for row in rows} | set(others))
    ids = dict(numbered.values())
    order = {name: number for number, name in enumerate(sorted(ids))}
    place = {number: order[name] for number, (name, _) in numbered.items()}
    resources = Resources(list(order), [ids[name] for name in order], place)
    if not rows:
        return pl.DataFrame(schema=_NO_LINE), resources
    project, meter, day, resource, attributes, hours, slots = zip(*rows, strict=True)
    index = {each.number: number for number, each in enumerate(projects)}
    columns = {
        "meter": np.array(meter),
        "attributes": np.array(attributes),
        "project": np.array([index[number] for number in project]),
        "resource": np.array([resources.place[number] for number in resource]),
    }
    kinds = apart.kinds(columns["meter"])
    kinds[_composed(columns, resources, named)] = BY_HOUR
    found = unpack_sums(day, hours, slots, zone, apart.cuts, kinds).within(apart.first, apart.last)
    values: dict[str, Any] = {name: column[found.row] for name, column in columns.items()}
    values |= {"hour": found.hour, "quantity": found.quantity.cast(pl.Int128)}
    return pl.DataFrame(values, schema_overrides=_NO_LINE).select(*_NO_LINE), resources


def _composed(
    columns: Mapping[str, Numbers], resources: Resources, named: Mapping[int, str]
) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    """Of each row whether it is of a composite or a component: what is charged together is so in the same hours."""
    if not named:
        return np.zeros(len(columns["resource"]), dtype=bool)
    composites = set(named.values())
    concerned = np.array([name in composites for name in resources.names], dtype=bool)
    concerned[columns["resource"][np.isin(columns["attributes"], list(named))]] = True
    return concerned[columns["resource"]]
