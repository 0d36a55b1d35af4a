"""Limits of projects: inside that of a project above, which rivals decide about in the organisation's own row."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import QuotaExceeded, UnlimitedBelow
from gradumen.core.exact import figure
from gradumen.core.organisations.projects import ProjectTree
from gradumen.core.quotas.measures import Measure, amount_words, measure_words
from gradumen.core.quotas.project_limits import ProjectLimits
from gradumen.core.quotas.quotas import Holding
from gradumen.store.organisations.projects import projects_of
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.quotas import quotas_of
from gradumen.store.quotas.site_quotas import SiteQuotaRow, given_at, held_at, site_quotas_of
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.limits import Limits, lock_quota
from gradumen.usecases.scope import Scope

Row = QuotaRow | SiteQuotaRow
Spot = UUID | None
"""A site or a pool; None is all of them."""


class Nest:
    """The limits of an organisation's projects, as they stand in this transaction, each inside one above it."""

    def __init__(
        self, tx: Session, owner: OrganisationRow, rows: Sequence[QuotaRow] | None = None, *, places: bool = False
    ) -> None:
        """``rows`` are the owner's where they are read already; ``places`` is for limits at sites and of pools too."""
        self.owner = owner
        self.projects = {row.id: row for row in projects_of(tx, [owner.id])}
        self.tree = ProjectTree({row.id: row.parent_id for row in self.projects.values()})
        self.rows: dict[tuple[str, Spot], dict[UUID, Row]] = defaultdict(dict)
        for row in quotas_of(tx, owner.id) if rows is None else rows:
            if row.project_id is not None and row.is_set:
                self.rows[row.measure, None][row.project_id] = row
        for placed in site_quotas_of(tx, owner.id) if places else ():
            if placed.project_id is not None:
                self.rows[placed.measure, placed.spot_id][placed.project_id] = placed

    def limits(self, measure: str, spot: Spot = None) -> ProjectLimits[UUID]:
        """Those of a measure, in all or at a place."""
        rows = self.rows.get((measure, spot), {})
        return ProjectLimits(self.tree, {project: row.limit_value for project, row in rows.items()})

    def above(self, project: UUID, measure: str, spot: Spot = None) -> ProjectRow | None:
        """The project inside whose limit another's lies."""
        found = self.limits(measure, spot).above(project)
        return None if found is None else self.projects[found]

    def with_passed_on(self, held: Holding, project: UUID, spot: Spot = None) -> Holding:
        """What a project holds, with what others have inside its limit."""
        limits = self.limits(held.measure, spot)
        return replace(held, granted=limits.passed_on(project), unlimited_below=limits.unlimited(project))

    def giving(self, organisation: Holding, project: UUID, spot: Spot = None) -> Holding:
        """What whoever gives a project its limit holds: a project above it, or the organisation.

        What others have inside the project's limit is taken from it, where the project has none until now.
        """
        limits = self.limits(organisation.measure, spot)
        giver, above = organisation, limits.above(project)
        if above is not None:
            giver = self.holding(above, organisation, spot)
        if limits.is_limited(project):
            return giver
        inside = limits.passed_on(project)
        return replace(giver, granted=giver.granted - inside)

    def holding(self, project: UUID, organisation: Holding, spot: Spot) -> Holding:
        """What a project that has a limit holds; ``organisation`` says of which measure and where."""
        row, unit = self.rows[organisation.measure, spot][project], self.projects[project]
        held = replace(
            organisation,
            holder=f"{self.owner.slug}/{unit.slug}",
            name=f"{unit.name} of {self.owner.name}",
            limit=row.limit_value,
            reservation=row.reservation if isinstance(row, QuotaRow) else Decimal(0),
            factor=row.factor if isinstance(row, QuotaRow) else Decimal(1),
            own=Decimal(0),
        )
        return self.with_passed_on(held, project, spot)


def name_project_givers(tx: Session, nest: Nest, keys: Iterable[tuple[str, Spot]]) -> None:
    """Have an organisation give what lies inside no other project's limit, and no more: its sums are of that."""
    for measure, spot in keys:
        limits = nest.limits(measure, spot)
        for project, row in nest.rows[measure, spot].items():
            row.giver_id = nest.owner.id if limits.above(project) is None else None
    tx.flush()


def move_limits(tx: Session, scope: Scope, owner: OrganisationRow, moved: UUID) -> None:
    """Have the limits of a project that is under another now, and of those below it, lie inside what they are under.

    Rivals wait for the organisation's rows of these measures.

    Raises:
        QuotaExceeded: they do not fit there.
        UnlimitedBelow: one of them has no limit, and what they are under has.
    """
    for each in load_measures(tx).listed:
        lock_quota(tx, scope.tree, owner, owner.id, None, each)
    # Only now, that rivals wait, is what they gave seen.
    nest = Nest(tx, owner, places=True)
    keys = [key for key, rows in nest.rows.items() if any(moved in nest.tree.path(each) for each in rows)]
    before = {key: {project: row.giver_id for project, row in nest.rows[key].items()} for key in keys}
    name_project_givers(tx, nest, keys)
    for measure, spot in keys:
        limits = nest.limits(measure, spot)
        below = [each for each in limits.limits if moved in nest.tree.path(each)]
        above = limits.above(moved)
        if above is not None:
            _check_held(nest.holding(above, Holding(owner.slug, _measure(tx, measure), None), spot), limits, below)
        elif any(before[measure, spot][each] is None and nest.rows[measure, spot][each].giver_id for each in below):
            _check_held(_of_organisation(tx, scope, owner, measure, spot), limits, [])


def _measure(tx: Session, measure: str) -> Measure:
    return load_measures(tx)[measure]


def _of_organisation(tx: Session, scope: Scope, owner: OrganisationRow, measure: str, spot: Spot) -> Holding:
    """What an organisation holds of a measure, in all or where its projects' limits are."""
    if spot is None:
        row = tx.get_one(QuotaRow, (owner.id, measure), populate_existing=True)
        return replace(Limits(tx, scope.tree, [owner.id]).holding(row, owner.slug), name=owner.name)
    own = held_at(tx, [owner.id]).get((owner.id, measure, spot))
    granted = given_at(tx, [owner.id]).get((owner.id, measure, spot), Decimal(0))
    limit = own.limit_value if own else None
    return Holding(owner.slug, _measure(tx, measure), limit, granted=granted, name=owner.name)


def _check_held(giver: Holding, limits: ProjectLimits[UUID], below: Iterable[UUID]) -> None:
    """Check that what lies inside a limit now fits it."""
    without = sum(limits.limits[each] is None for each in below)
    if without:
        words = measure_words(giver.measure)
        raise UnlimitedBelow(
            f"{giver.name} has a limit of {words}, and {without} of what is to be below it "
            f"{'has' if without == 1 else 'have'} none; give each of them one first",
            holder=giver.holder,
            measure=giver.measure,
            count=without,
        )
    if giver.left is not None and giver.left < 0 and giver.limit is not None:
        raise QuotaExceeded(
            f"{giver.name} has {amount_words(giver.measure, giver.limit)}, so the limits of what would be below it are "
            f"{figure(-giver.left)} too many; lower them first",
            measure=giver.measure,
            limit=figure(giver.limit),
            holder=giver.holder,
        )
