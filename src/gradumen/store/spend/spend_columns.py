"""What spend is summed from: of each pair a file of columns, made of its stored charges when it is not there.

Files are a cache. One is of one pair as it was rated at one moment; whatever is missing, damaged or of another release
is made again from the database.
"""

import logging
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import uuid4

import polars as pl
from polars.exceptions import PolarsError
from sqlalchemy import Select, select, tuple_
from sqlalchemy.orm import Session, aliased

from gradumen.core.periods import Period
from gradumen.core.rating.charges import service_of
from gradumen.core.spend.columns import PART_COLUMNS, SPEND_SCHEMA, SpentCharge
from gradumen.store.catalogue.tables import PlanRow, RateCardRow, RateCardVersionRow
from gradumen.store.metering.imported_costs import CostDayRow
from gradumen.store.metering.tables import ResourceRow, UsageDayRow
from gradumen.store.metering.usage import REGIONS, attribute_sets
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.tables import CurrentChargeRow
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow

log = logging.getLogger("gradumen.columns")
RELEASE = "4"
"""Of the files' form; those of another are not read."""
_PARTS = (
    "SELECT pair_id, charge_position, project_number, resource_id, day, REPLACE(CAST(amount AS CHAR), '.', '') "
    "FROM current_parts WHERE (pair_id, generation) IN ({marks})"
)
"""An amount always has twelve decimals, so without the point it is a whole number of the last of them."""
_AT_ONCE = 2000
DAMAGED = (OSError, PolarsError)
"""What reading files may end in."""


def charges_of(tx: Session, pairs: Collection[PairRow]) -> list[SpentCharge]:
    """The charges that hold for pairs, with what their parts are known by."""
    charge = CurrentChargeRow
    rows = tx.execute(
        select(
            charge.pair_id,
            charge.position,
            SubscriptionRow.organisation_id,
            ProjectRow.number,
            PlanRow.slug,
            charge.kind,
            charge.meter,
            RateCardRow.currency,
        )
        # From the charges on: of many customers that came in at once the database takes all subscriptions for one.
        .prefix_with("STRAIGHT_JOIN")
        .join(SupplyLineRow, SupplyLineRow.id == charge.supply_line_id)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .join(PlanRow, PlanRow.id == SubscriptionRow.plan_id)
        .join(RateCardVersionRow, RateCardVersionRow.id == charge.rate_card_version_id)
        .join(RateCardRow, RateCardRow.id == RateCardVersionRow.rate_card_id)
        .outerjoin(ProjectRow, ProjectRow.id == SubscriptionRow.project_id)
        .where(tuple_(charge.pair_id, charge.generation).in_([(pair.id, pair.generation) for pair in pairs]))
    )
    return [
        SpentCharge(
            pair,
            position,
            str(organisation),
            project,
            plan,
            service_of(kind, meter),
            meter or "",
            currency,
        )
        for pair, position, organisation, project, plan, kind, meter, currency in rows
    ]


def parts_of(tx: Session, pairs: Collection[PairRow]) -> pl.DataFrame:
    """The parts of these charges, as `gradumen.core.spend.columns.PART_COLUMNS`."""
    marks = ", ".join(["(%s, %s)"] * len(pairs))
    values = tuple(number for pair in pairs for number in (pair.id, pair.generation))
    rows: Sequence[Any] = tx.connection().exec_driver_sql(_PARTS.format(marks=marks), values).fetchall()
    columns: Iterable[Any] = zip(*rows, strict=True) if rows else ((),) * len(PART_COLUMNS)
    *known, amounts = columns
    amount = pl.Series("amount", amounts, dtype=pl.String).cast(pl.Int128)
    return pl.DataFrame(dict(zip(PART_COLUMNS, (*known, amount), strict=True)), schema=PART_COLUMNS)


def regions_of(
    tx: Session, period: Period, projects: Collection[int], resources: Collection[int]
) -> dict[tuple[int, int], str]:
    """Where projects' resources are, by what their own usage and costs of a month say.

    Of those that were in several places they are all named. What is called alike elsewhere is another's.
    """
    ordered, sets = sorted(resources), defaultdict[tuple[int, int], set[int]](set)
    for first in range(0, len(ordered), _AT_ONCE):
        for query in _places(period, projects, ordered[first : first + _AT_ONCE]):
            for project, resource, number in tx.execute(query):
                sets[project, resource].add(number)
    documents = attribute_sets(tx, {number for same in sets.values() for number in same})
    places = {
        number: next((str(document[name]) for name in REGIONS if name in document), "")
        for number, document in documents.items()
    }
    found = {key: sorted({places[number] for number in same} - {""}) for key, same in sets.items()}
    return {key: ", ".join(same) for key, same in found.items() if same}


def _places(period: Period, projects: Collection[int], resources: Sequence[int]) -> Iterator[Select[*tuple[Any, ...]]]:
    """Project, resource and attributes of usage and costs of a month, of what has the names of some resources."""
    usage, cost, named, own = UsageDayRow, CostDayRow, aliased(ResourceRow), aliased(ResourceRow)
    # A zone's month begins and ends within a day of that of UTC.
    first, end = period.first_day - timedelta(days=1), period.next().first_day + timedelta(days=1)
    for row, inside in ((usage, usage.day.between(first, end)), (cost, cost.month == period.first_day)):
        yield (
            select(row.project_number, named.id, row.attribute_set_id)
            .distinct()
            .select_from(named)
            .join(own, own.name == named.name)
            .join(row, row.resource_id == own.id)
            .where(named.id.in_(resources), row.project_number.in_(projects), inside)
        )


def find_columns(folder: Path | None, pair: PairRow, names: Sequence[str]) -> pl.DataFrame | None:
    """Some columns of the file of a pair as it holds; None where there is none that can be used."""
    if folder is None:
        return None
    path = path_of(folder, pair)
    try:
        found = pl.read_ipc(path, columns=list(names))
    except DAMAGED:
        return None
    return found if dict(found.schema) == {name: SPEND_SCHEMA[name] for name in names} else None


def scan_columns(folder: Path | None, pairs: Sequence[PairRow]) -> tuple[pl.LazyFrame, list[PairRow]] | None:
    """The files of pairs together, to be read when that is asked for, and the pairs that have none; None: none has.

    What is damaged shows when it is read; see `find_columns`.
    """
    paths = {pair.id: path_of(folder, pair) for pair in pairs} if folder else {}
    there = [pair for pair in pairs if pair.id in paths and paths[pair.id].exists()]
    if not there:
        return None
    known = {pair.id for pair in there}
    return pl.scan_ipc([paths[pair.id] for pair in there]), [pair for pair in pairs if pair.id not in known]


def keep_columns(folder: Path | None, pair: PairRow, columns: pl.DataFrame) -> None:
    """Write the file of a pair in place of its earlier ones; where that fails, it is made again when it is wanted."""
    if folder is None:
        return
    path = path_of(folder, pair)
    written = path.with_name(f"{path.name}.{uuid4().hex}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        columns.write_ipc(written, compression="lz4")
        written.replace(path)
        for other in path.parent.glob(f"{pair.id}-*"):
            if other != path:
                other.unlink(missing_ok=True)
    except DAMAGED as error:
        log.warning("the columns of spend cannot be kept in %s: %s", folder, error)


def rating_of(pair: PairRow) -> str:
    """The rating that holds for a pair, and its moment: a number alone may come again when a backup is restored."""
    at = f"{pair.rated_at:%Y%m%d%H%M%S%f}" if pair.rated_at else "0"
    return f"{pair.generation}-{at}"


def path_of(folder: Path, pair: PairRow) -> Path:
    """The file of a pair."""
    return folder / RELEASE / f"{pair.id % 1000:03d}" / f"{pair.id}-{rating_of(pair)}.arrow"
