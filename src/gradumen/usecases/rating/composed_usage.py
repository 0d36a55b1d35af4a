"""What of a seller's usage is charged with other usage: components with their composites, or these with those."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import Composites
from gradumen.core.rating.charges import ALL
from gradumen.core.rating.composites import ROW_SCHEMA, charged_together
from gradumen.core.rating.rated_periods import rates_of
from gradumen.core.rating.rating import Pricing
from gradumen.store.organisations.tables import ProjectRow
from gradumen.usecases.rating.unassigned_usage import Through, Unassigned

_OF = ["meter", "attributes", "project", "resource"]


@dataclass(frozen=True, slots=True)
class Together:
    """Usage of a project's resource in some hours that is charged with a composite, or as components where it is `ALL`.

    ``resource`` and ``composite`` are places as in the usage; ``quantity`` is in millionths; without ``line`` no
    subscription covers it.
    """

    line: int | None
    buyer: UUID
    owner: UUID
    project_number: int
    meter: str
    attributes: int
    resource: int
    composite: int
    quantity: int
    hours: int


@dataclass(frozen=True, slots=True)
class Parties:
    """Whose projects are, in the order of their places, and who buys: of a line, and for owners one after the other."""

    projects: Sequence[ProjectRow]
    of_line: Mapping[int, UUID]
    through: Mapping[UUID, Sequence[Through]]


def composites_of(named: Mapping[int, str], names: Sequence[str]) -> dict[int, int]:
    """By attribute set the place of the composite that it names, of those among some resources."""
    if not named:
        return {}
    place = {name: number for number, name in enumerate(names)}
    return {number: place[name] for number, name in named.items() if name in place}


def concerned_by(usage: pl.DataFrame, composites: Mapping[int, int]) -> list[int]:
    """The resources among some usage that are composites or components."""
    components = usage.filter(pl.col("attributes").is_in(list(composites)))["resource"].unique()
    return sorted({*composites.values(), *components.to_list()})


def kept_apart(
    usage: pl.DataFrame,
    loose: pl.DataFrame,
    pieces: pl.DataFrame,
    composites: Mapping[int, int],
    parties: Parties,
    pricing: Pricing,
) -> tuple[pl.DataFrame, list[Together]]:
    """Usage that is charged by itself, and what is charged with that of the same hours.

    Args:
        usage: what lines take; see `gradumen.core.rating.rating.USAGE_SCHEMA`.
        loose: the hours of composites and components that no line takes; see
            `gradumen.usecases.rating.unassigned_usage.LOOSE_SCHEMA`.
        pieces: what there is of spells; without one a rate per time begun prices nothing.
        composites: by attribute set the place of the composite.
    """
    if not composites:
        return usage, []
    numbered = usage.with_row_index("row")
    taken = numbered.filter(pl.col("resource").is_in(concerned_by(usage, composites)))
    rest = loose.with_row_index("row", offset=usage.height).with_columns(priced=pl.lit(False), whole=pl.lit(True))
    rows = [_nodes(each, composites, parties.projects) for each in (_priced(taken, pieces, pricing), rest)]
    found = charged_together(pl.concat(rows))
    by_line = taken.with_columns(through=pl.lit(0, pl.Int32)).join(found, on="row")
    by_nobody = rest.with_columns(line=pl.lit(ALL, pl.Int32)).join(found, on="row")
    told = [*_listed(by_line, parties, pricing), *_listed(by_nobody, parties, pricing)]
    return numbered.join(found, on="row", how="anti", maintain_order="left").drop("row"), told


def _nodes(rows: pl.DataFrame, composites: Mapping[int, int], projects: Sequence[ProjectRow]) -> pl.DataFrame:
    numbers: dict[UUID, int] = {}
    owners = [numbers.setdefault(each.organisation_id, len(numbers)) for each in projects]
    owner = pl.col("project").replace_strict(range(len(owners)), owners, return_dtype=pl.Int32)
    composite = pl.col("attributes").replace_strict(
        list(composites), list(composites.values()), default=ALL, return_dtype=pl.Int32
    )
    named = rows.with_columns(owner.alias("owner"), composite.alias("composite"))
    return named.select(pl.col(name).cast(kind) for name, kind in ROW_SCHEMA.items())


def _priced(rows: pl.DataFrame, pieces: pl.DataFrame, pricing: Pricing) -> pl.DataFrame:
    """Rows with whether a rate prices them, and as what their card charges composites."""
    if not rows.height:
        return rows.with_columns(priced=pl.lit(False), whole=pl.lit(True))
    rates = rates_of(rows, pricing)
    begun = np.array([each.rate.started is not None for each in pricing.combiner.rates] + [False])[rates]
    there = rows.select("row", *_OF).join(pieces.select(_OF).unique(), on=_OF, how="semi")["row"]
    some = (rows["quantity"] != 0) & pl.Series(rates >= 0) & (~pl.Series(begun) | rows["row"].is_in(there.implode()))
    card = pricing.card_of_line[rows["line"].to_numpy()]
    whole = _wholes(pricing)[card, rows["hour"].to_numpy() - pricing.combiner.first_hour]
    return rows.with_columns(some.alias("priced"), pl.Series("whole", whole))


def _wholes(pricing: Pricing) -> "np.ndarray[tuple[int, int], np.dtype[np.bool_]]":
    """Of each card and hour whether composites are charged as the whole."""
    found = []
    for card in pricing.combiner.cards:
        versions = [version for version, _ in card.samples]
        whole = [each < 0 or card.versions[each].composites is Composites.WHOLE for each in versions]
        found.append(np.array(whole)[card.slot_of_hour])
    return np.stack(found)


def _listed(rows: pl.DataFrame, parties: Parties, pricing: Pricing) -> Iterator[Together]:
    keys = ["line", "through", *_OF, "with"]
    quantity, hours = pl.col("quantity").cast(pl.Int128).sum(), pl.col("hour").n_unique()
    summed = rows.group_by(keys).agg(quantity, hours).sort(keys)
    columns = summed.select(*keys, "quantity", "hour")
    for line, through, meter, attributes, project, resource, composite, used, hours in columns.iter_rows():
        row = parties.projects[project]
        owner = row.organisation_id
        yield Together(
            line=None if line == ALL else line,
            buyer=parties.through[owner][through].buyer if line == ALL else parties.of_line[line],
            owner=owner,
            project_number=row.number,
            meter=pricing.meters[meter],
            attributes=attributes,
            resource=resource,
            composite=composite,
            quantity=used,
            hours=hours,
        )


def less_together(rest: Sequence[Unassigned], together: Sequence[Together]) -> list[Unassigned]:
    """What no subscription covers, less what of it is charged with other usage."""
    taken: dict[tuple[UUID, int, str, int], int] = defaultdict(int)
    for each in together:
        if each.line is None:
            taken[each.buyer, each.project_number, each.meter, each.resource] += each.quantity
    found = [
        replace(each, quantity=each.quantity - taken[each.buyer, each.project, each.meter, each.resource])
        for each in rest
    ]
    return [each for each in found if each.quantity]
