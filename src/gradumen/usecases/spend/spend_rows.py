"""The rows that spend is summed from: parts of the links that somebody sees, with names in place of numbers."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property
from uuid import UUID

import polars as pl

from gradumen.core.periods import Period
from gradumen.core.spend.columns import SPEND_SCHEMA, spend_columns
from gradumen.core.spend.spend import Dimension, Range, added_up
from gradumen.store.metering.usage import resource_names
from gradumen.store.organisations.organisations import organisations_by_id, projects_by_name
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.pairs import PairRow, pairs_by_id
from gradumen.store.spend import spend_columns as store
from gradumen.store.unit_of_work import COLUMNS, Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.charges import service_name
from gradumen.usecases.rating.stored_charges import settled
from gradumen.usecases.scope import Scope

_SOURCES: dict[Dimension, tuple[str, ...]] = {
    Dimension.BUYER: ("organisation",),
    Dimension.ORGANISATION: ("organisation",),
    Dimension.PROJECT: ("project",),
    Dimension.COST_CENTRE: ("project",),
    Dimension.PLAN: ("plan",),
    Dimension.SERVICE: ("service",),
    Dimension.METER: ("meter",),
    Dimension.RESOURCE: ("resource",),
    Dimension.REGION: ("region",),
    Dimension.MONTH: ("day",),
    Dimension.DAY: ("day",),
}
"""The columns that tell a dimension's values apart, besides the organisation that used."""
_NONE = {
    Dimension.COST_CENTRE: "No cost centre",
    Dimension.PLAN: "A plan of the customer's own",
    Dimension.SERVICE: "Fees and discounts",
    Dimension.METER: "Fees and discounts",
    Dimension.RESOURCE: "No resource",
    Dimension.REGION: "No region",
}


def columns_of(tx: Session, pair: PairRow, names: Sequence[str]) -> pl.DataFrame:
    """Some columns of a pair as it holds, from its file or else made, and kept.

    Raises:
        Conflict: it is rated more often than it can be read.
    """
    found = store.find_columns(tx.info.get(COLUMNS), pair, names)
    return _made(tx, [pair])[pair.id].select(names) if found is None else found


def _made(tx: Session, pairs: Sequence[PairRow]) -> dict[int, pl.DataFrame]:
    """The columns of pairs of one period as they hold, made and kept.

    Raises:
        Conflict: they are rated more often than they can be read.
    """

    def made() -> dict[int, pl.DataFrame]:
        parts = store.parts_of(tx, pairs)
        regions = store.regions_of(tx, set(parts["resource"].drop_nulls().to_list()))
        return spend_columns(Period.parse(pairs[0].period), store.charges_of(tx, pairs), parts, regions)

    found = settled(tx, pairs, made)
    nothing = pl.DataFrame(schema=SPEND_SCHEMA)
    columns = {pair.id: found.get(pair.id, nothing) for pair in pairs}
    for pair in pairs:
        store.keep_columns(tx.info.get(COLUMNS), pair, columns[pair.id])
    return columns


@use_case
def refresh_columns(tx: Session, *, pairs: Collection[int]) -> None:
    """Make the files of pairs that were rated, so that nobody waits for them."""
    folder = tx.info.get(COLUMNS)
    if folder is None:
        return
    apart: dict[str, list[PairRow]] = {}
    for pair in pairs_by_id(tx, pairs):
        if store.find_columns(folder, pair, ["amount"]) is None:
            apart.setdefault(pair.period, []).append(pair)
    for same in apart.values():
        _made(tx, same)


@dataclass(frozen=True, slots=True)
class Link:
    """Pairs whose charges are looked at, and whose use of them; ``cost`` where they are what sales cost."""

    pairs: list[PairRow]
    users: frozenset[UUID]
    cost: bool = False


class SpendRows:
    """Rows of links in a range and the one before, under names that the reader may see."""

    def __init__(self, tx: Session, scope: Scope, owner: OrganisationRow, published: Published) -> None:
        self.tx, self.scope, self.owner, self.published = tx, scope, owner, published
        self._buyer_of = {owner.id: owner.id}
        for buyer in scope.tree.children(owner.id):
            self._buyer_of |= dict.fromkeys(scope.tree.below([buyer]), buyer)

    @cached_property
    def organisations(self) -> Mapping[UUID, OrganisationRow]:
        """The owner and all below it."""
        return organisations_by_id(self.tx, set(self._buyer_of))

    @cached_property
    def projects(self) -> Mapping[int, ProjectRow]:
        """Their projects, by number."""
        return {row.number: row for row in projects_by_name(self.tx, set(self._buyer_of))}

    def read(
        self,
        links: Iterable[Link],
        days: Range,
        sold_in: Mapping[UUID, str],
        dimensions: Collection[str],
        *,
        by_charge: bool = False,
    ) -> pl.DataFrame:
        """The rows, as `gradumen.core.spend.spend.sums_by` takes them.

        Args:
            sold_in: the currency in which a buyer of the owner's pays, for what it costs.
            dimensions: those that are wanted as columns.
            by_charge: whether ``pair`` and ``charge`` are wanted too.
        """
        keys = {source for each in dimensions for source in _SOURCES[Dimension(each)]} | {"organisation"}
        keys |= {"pair", "charge"} if by_charge else set()
        frames = [self._of_link(link, days, sold_in, keys) for link in links]
        rows = pl.concat([frame for frame in frames if frame is not None] or [_empty(keys)])
        return self._named(rows, set(dimensions))

    def _of_link(self, link: Link, days: Range, sold_in: Mapping[UUID, str], keys: set[str]) -> pl.DataFrame | None:
        users = pl.DataFrame(
            [(str(each), sold_in.get(self._buyer_of.get(each, each), "")) for each in link.users],
            schema={"organisation": pl.Categorical, "sold_in": pl.String},
            orient="row",
        )
        pairs = [pair for pair in link.pairs if _touches(pair, days, link.cost)]
        frames = list(self._summed(pairs, days, link.cost, keys))
        if not frames:
            return None
        rows = pl.concat(frames).join(users, on="organisation")
        own = pl.col("currency").cast(pl.String)
        shown = pl.when(pl.col("sold_in") == "").then(own).otherwise(pl.col("sold_in")) if link.cost else own
        cost_currency = (own if link.cost else pl.lit("")).alias("cost_currency")
        return rows.with_columns(cost_currency, shown.alias("currency")).select(
            *sorted(keys), "part", "currency", "cost_currency", "amount"
        )

    def _summed(self, pairs: Sequence[PairRow], days: Range, cost: bool, keys: set[str]) -> Iterator[pl.DataFrame]:
        """What is wanted of pairs: of all files at once, and of those without a pair at a time.

        Summed as it is read, so that no more than what is wanted is ever in memory.
        """
        scanned = store.scan_columns(self.tx.info.get(COLUMNS), pairs)
        if scanned is not None:
            try:
                yield _wanted(scanned[0], days, cost, keys)
                pairs = scanned[1]
            except store.DAMAGED:
                pass
        names = [name for name in SPEND_SCHEMA if name in keys | {"day", "currency", "amount"}]
        for pair in pairs:
            yield _wanted(columns_of(self.tx, pair, names), days, cost, keys)

    def _named(self, rows: pl.DataFrame, wanted: set[str]) -> pl.DataFrame:
        """The rows with a column of text for each dimension that is wanted."""
        found = rows
        if Dimension.BUYER in wanted:
            found = self._mapped(found, "organisation", Dimension.BUYER, self._buyer_slug)
        if {Dimension.PROJECT, Dimension.COST_CENTRE} & wanted:
            found = self._by_project(found)
        if Dimension.ORGANISATION in wanted:
            found = self._mapped(found, "organisation", Dimension.ORGANISATION, self._slug)
        if Dimension.PLAN in wanted:
            found = self._mapped(found, "plan", Dimension.PLAN, self._seen_plan)
        if Dimension.RESOURCE in wanted:
            names = resource_names(self.tx, set(found["resource"].unique().to_list()) - {0})
            found = self._mapped(found, "resource", Dimension.RESOURCE, lambda number: names.get(number, ""))
        times = {Dimension.MONTH: "%Y-%m", Dimension.DAY: "%Y-%m-%d"}
        day = pl.col("day")
        return found.with_columns(
            *(day.dt.to_string(form).alias(f"{name}-text") for name, form in times.items() if name in wanted),
            *(pl.col(name).cast(pl.String) for name in ("service", "meter", "region") if name in wanted),
        ).select(
            *(pl.col(f"{name}-text").alias(name) for name in times if name in wanted),
            *(pl.col(name) for name in Dimension if name in wanted and name not in times),
            *(name for name in ("pair", "charge") if name in found.columns),
            *("part", "currency", "cost_currency", "amount"),
        )

    def _mapped(self, rows: pl.DataFrame, column: str, into: str, name: Callable[..., str]) -> pl.DataFrame:
        """The rows with the names of what stands in a column."""
        values = rows[column].unique().to_list()
        names = pl.DataFrame(
            {"__key": pl.Series(values, dtype=rows.schema[column]), "__name": [name(value) for value in values]},
            schema_overrides={"__name": pl.String},
        )
        joined = rows.join(names, left_on=column, right_on="__key")
        return joined.drop(into, strict=False).rename({"__name": into})

    def _by_project(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The rows with the paths of projects, and their cost centres; a row without project is its organisation's."""
        places = rows.select("organisation", "project").unique()
        named = [self._place(organisation, number) for organisation, number in places.rows()]
        keyed = places.with_columns(
            pl.Series("__path", [path for path, _ in named], dtype=pl.String),
            pl.Series(Dimension.COST_CENTRE, [centre for _, centre in named], dtype=pl.String),
        )
        return rows.join(keyed, on=["organisation", "project"]).drop("project").rename({"__path": "project"})

    def _place(self, organisation: str, number: int) -> tuple[str, str]:
        slug = self._slug(organisation)
        if number in self.projects:
            return f"{slug}/{self.projects[number].slug}", self.projects[number].cost_centre or ""
        return f"{slug}/", self.organisations[UUID(organisation)].cost_centre or ""

    def _slug(self, organisation: str) -> str:
        return self.organisations[UUID(organisation)].slug

    def _buyer_slug(self, organisation: str) -> str:
        return self.organisations[self._buyer_of[UUID(organisation)]].slug

    def _seen_plan(self, slug: str) -> str:
        """A plan that somebody further down made for its own customers is named to nobody above it."""
        mine = {above for own in self.scope.members_money() for above in self.scope.tree.chain(own)}
        return slug if self.published.owners["plan", slug] in mine else ""

    def name(self, dimension: str, value: str) -> str:
        """What people call a value of a dimension."""
        if not value:
            return _NONE.get(Dimension(dimension), "None")
        if dimension in (Dimension.BUYER, Dimension.ORGANISATION):
            return self._names[value]
        if dimension == Dimension.PROJECT:
            organisation, _, project = value.partition("/")
            own = self._names[organisation]
            return f"{own}: {self._project_names[value]}" if project else own
        if dimension == Dimension.PLAN:
            return self.published.plans[value].name
        if dimension == Dimension.SERVICE:
            return service_name(value, self.published) or value
        if dimension == Dimension.METER:
            return meter_name(value, self.published)
        return value

    @cached_property
    def _names(self) -> dict[str, str]:
        return {row.slug: row.name for row in self.organisations.values()}

    @cached_property
    def _project_names(self) -> dict[str, str]:
        return {
            f"{self.organisations[row.organisation_id].slug}/{row.slug}": row.name for row in self.projects.values()
        }


def _empty(keys: set[str]) -> pl.DataFrame:
    texts = dict.fromkeys(("part", "currency", "cost_currency"), pl.String())
    return pl.DataFrame(schema={name: SPEND_SCHEMA[name] for name in sorted(keys)} | texts | {"amount": pl.Int128()})


def _touches(pair: PairRow, days: Range, cost: bool) -> bool:
    """Whether a pair's month has a day that is looked at."""
    ranges = [days] if cost else [days, days.before]
    return any(f"{each.first:%Y-%m}" <= pair.period <= f"{last_day(each):%Y-%m}" for each in ranges)


def last_day(days: Range) -> date:
    """The last day of a range."""
    return days.end - timedelta(days=1)


def _wanted(rows: pl.DataFrame | pl.LazyFrame, days: Range, cost: bool, keys: set[str]) -> pl.DataFrame:
    """The rows of the range, and of the one before where they are no cost, added up."""
    day, before = pl.col("day"), days.before
    part = (
        pl.when(day < days.first)
        .then(pl.lit("before"))
        .when(day < (days.compared or days.end))
        .then(pl.lit("compared"))
        .otherwise(pl.lit("now"))
    )
    wanted = day.is_between(days.first, days.end, closed="left")
    if not cost:
        wanted |= day.is_between(before.first, before.end, closed="left")
    labelled = rows.filter(wanted).with_columns((pl.lit("cost") if cost else part).alias("part"))
    return added_up(labelled, [*sorted(keys), "part", "currency"])
