"""The rows that spend is summed from: parts of the links that somebody sees, with names in place of numbers."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import date
from functools import cached_property
from uuid import UUID

import polars as pl

from gradumen.core.organisations.projects import ProjectTree
from gradumen.core.spend.columns import SPEND_SCHEMA
from gradumen.core.spend.spend import LEVELS, PARTS, Dimension, Range
from gradumen.store.metering.usage import resource_names
from gradumen.store.organisations.cost_centres import CostCentre, cost_centres_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_by_name
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.rating.charges import service_name
from gradumen.usecases.scope import Scope
from gradumen.usecases.spend.link_sums import Link
from gradumen.usecases.spend.users import TEXT, Users

_SOURCES: dict[Dimension, tuple[str, ...]] = {
    Dimension.BUYER: ("buyer",),
    Dimension.ORGANISATION: ("organisation",),
    **dict.fromkeys((Dimension.PROJECT, *LEVELS), ("organisation", "project")),
    Dimension.COST_CENTRE: ("organisation", "project"),
    Dimension.PLAN: ("plan",),
    Dimension.SERVICE: ("service",),
    Dimension.METER: ("meter",),
    Dimension.RESOURCE: ("resource",),
    Dimension.REGION: ("region",),
    Dimension.MONTH: ("day",),
    Dimension.DAY: ("day",),
}
"""The columns that tell a dimension's values apart."""
_NONE = {
    Dimension.COST_CENTRE: "No cost centre",
    Dimension.PLAN: "A plan of the customer's own",
    Dimension.SERVICE: "Fees and discounts",
    Dimension.METER: "Fees and discounts",
    Dimension.RESOURCE: "No resource",
    Dimension.REGION: "No region",
}


class SpendRows:
    """Rows of links in a range and the one before, under names that the reader may see."""

    def __init__(self, tx: Session, scope: Scope, owner: OrganisationRow, published: Published, days: Range) -> None:
        self.tx, self.scope, self.owner, self.published, self.days = tx, scope, owner, published, days
        self.users = Users(tx, scope, owner.id, days)

    @cached_property
    def organisations(self) -> Mapping[UUID, OrganisationRow]:
        """The owner and all below it."""
        return organisations_by_id(self.tx, self.users.all)

    @cached_property
    def projects(self) -> Mapping[int, ProjectRow]:
        """Their projects, by number."""
        return {row.number: row for row in projects_by_name(self.tx, self.users.all)}

    def read(
        self,
        links: Iterable[Link],
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
        keys = {source for each in dimensions for source in _SOURCES[Dimension(each)]}
        by_day = Dimension.DAY in dimensions
        if Dimension.COST_CENTRE in dimensions and self.centres:
            # Each day's is that of the day; where none ever changed it is the same on all.
            keys, by_day = keys | {"day"}, True
        keys |= {"pair", "charge"} if by_charge else set()
        frames = [frame for link in links for frame in self._of_link(link, sold_in, keys, by_day)]
        rows = pl.concat(frames or [_empty(keys)])
        return self._named(rows, set(dimensions))

    def _of_link(self, link: Link, sold_in: Mapping[UUID, str], keys: set[str], by_day: bool) -> list[pl.DataFrame]:
        found = self.users.sums(link, dict(sold_in) if link.cost else {}, sorted(keys), by_day=by_day)
        own, sold = pl.col("currency").cast(pl.String), pl.col("sold_in").cast(pl.String)
        cost_currency = (own if link.cost else pl.lit("")).alias("cost_currency")
        shown = pl.when(sold == "").then(own).otherwise(sold).alias("currency")
        columns = [*sorted(keys), "part", "currency", "cost_currency", "amount"]
        return [rows.with_columns(cost_currency, shown).select(*columns) for rows in found]

    def _named(self, rows: pl.DataFrame, wanted: set[str]) -> pl.DataFrame:
        """The rows with a column of text for each dimension that is wanted."""
        found = rows
        if Dimension.BUYER in wanted:
            found = self._mapped(found, "buyer", Dimension.BUYER, self._slug)
        if {Dimension.PROJECT, Dimension.COST_CENTRE, *LEVELS} & wanted:
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
        """The rows with the paths of projects, what these are under, and their cost centres.

        A row without project is its organisation's.
        """
        keys = ["organisation", "project", *(["day"] if self.centres and "day" in rows.columns else [])]
        places = rows.select(keys).unique()
        named = [self._place(*each) for each in places.rows()]
        names = ("__path", *LEVELS, Dimension.COST_CENTRE)
        keyed = places.with_columns(
            pl.Series(name, [each[index] for each in named], dtype=pl.String) for index, name in enumerate(names)
        )
        return rows.join(keyed, on=keys).drop("project").rename({"__path": "project"})

    def _place(self, organisation: str, number: int, day: date | None = None) -> tuple[str, ...]:
        """The path of a project, those of what it is under, and its cost centre on a day."""
        slug, owner, row = self._slug(organisation), UUID(organisation), self.projects.get(number)
        if row is None:
            centre = self._centre(owner, None, self.organisations[owner].cost_centre, day)
            return (f"{slug}/",) * (1 + len(LEVELS)) + (centre,)
        above = [f"{slug}/{self._by_id[each].slug}" for each in self._tree.path(row.id)]
        levels = [above[min(level, len(above) - 1)] for level in range(len(LEVELS))]
        return (above[-1], *levels, self._centre(owner, row.id, row.cost_centre, day))

    def _centre(self, owner: UUID, project: UUID | None, present: str | None, day: date | None) -> str:
        known = self.centres.get((owner, project))
        if known is None or day is None:
            return present or ""
        return next((each.cost_centre for each in reversed(known) if each.starts_on <= day), None) or ""

    @cached_property
    def centres(self) -> Mapping[tuple[UUID, UUID | None], Sequence[CostCentre]]:
        """The cost centres that were ever changed, the earliest first."""
        return cost_centres_of(self.tx, self.users.all)

    @cached_property
    def _by_id(self) -> Mapping[UUID, ProjectRow]:
        return {row.id: row for row in self.projects.values()}

    @cached_property
    def _tree(self) -> ProjectTree[UUID]:
        return ProjectTree({row.id: row.parent_id for row in self.projects.values()})

    def _slug(self, organisation: str) -> str:
        return self.organisations[UUID(organisation)].slug

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
        if dimension in (Dimension.PROJECT, *LEVELS):
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


_CURRENCIES = dict.fromkeys(("currency", "cost_currency"), pl.String())


def _empty(keys: set[str]) -> pl.DataFrame:
    columns = {name: SPEND_SCHEMA.get(name, TEXT) for name in sorted(keys)}
    return pl.DataFrame(schema={**columns, "part": PARTS, **_CURRENCIES, "amount": pl.Int128()})
