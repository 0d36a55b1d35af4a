"""Limits that hold: what organisations and projects may have of each measure, what of it they have and have passed on.

Here, since making an organisation, a project or a member is already within a limit.
"""

from collections.abc import Collection, Mapping
from dataclasses import replace
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from gradumen.core.quotas.measures import Counted, Measure
from gradumen.core.quotas.quotas import Holding, check_counted
from gradumen.store.access.sessions import count_tokens
from gradumen.store.organisations.clouds import accounts_of
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, Tree, coming_to, load_tree
from gradumen.store.quotas import quotas as store
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.subscriptions.subscriptions import count_running
from gradumen.store.unit_of_work import Session
from gradumen.usecases.scope import Scope, business_now


def lock_quota(
    tx: Session, tree: Tree, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> None:
    """Write the row that rivals also write, making it where it is new. From the top of the tree down."""
    absent = absent_quota(tree, owner, holder_id, project, measure)
    store.lock_quota(tx, {column.name: getattr(absent, column.name) for column in QuotaRow.__table__.columns})


def absent_quota(
    tree: Tree, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> QuotaRow:
    """The row of somebody who was never given anything."""
    return QuotaRow(
        holder_id=holder_id,
        measure=measure,
        organisation_id=owner.id,
        project_id=project.id if project else None,
        giver_id=owner.id if project else tree.parents.get(owner.id),
        limit_value=None,
        is_set=False,
        reservation=Decimal(0),
        factor=Decimal(1),
        label=None,
        soft_limit=None,
        grace_days=None,
        version=0,
    )


def say_unlimited(tx: Session, tree: Tree, organisation: UUID, measure: Measure, at: datetime) -> None:
    """Where an organisation has no limit because nobody above it has one, say so in its row and in theirs.

    It is about to pass something on, or to have it promised. Whoever above it is given a limit later is refused until
    it has one, as with any that has none.
    """
    chain = tree.chain(organisation)
    if Limits(tx, tree, [organisation]).limit(organisation, measure) is not None:
        return
    for each in reversed(chain):
        lock_quota(tx, tree, tx.get_one(OrganisationRow, each), each, None, measure)
        row = tx.get_one(QuotaRow, (each, measure), populate_existing=True)
        if row.is_set and row.limit_value is not None:
            # A rival set it while this waited for the row: those below have nothing now, or what they were given.
            break
        if not row.is_set:
            row.is_set, row.limit_value = True, None
            store.note_change(tx, row, at)
    tx.flush()


class Limits:
    """The limits of some organisations and of all above them, as they stand in this transaction.

    Who was given nothing has no limit where its giver has none, else nothing (invariant 3 of the architecture).
    """

    def __init__(self, tx: Session, tree: Tree, owners: Collection[UUID]) -> None:
        self.tx, self.tree, self.measures = tx, tree, load_measures(tx)
        chains = {each for owner in owners for each in tree.chain(owner)}
        self.rows = {(row.holder_id, row.measure): row for row in store.quotas_held(tx, chains)}
        self._given = store.given_on(tx, owners)
        self._chains: dict[UUID, list[UUID]] = {}

    def limit(self, organisation: UUID, measure: Measure) -> Decimal | None:
        """What an organisation may have; None is no limit."""
        if organisation not in self._chains:
            self._chains[organisation] = self.tree.chain(organisation)
        for each in self._chains[organisation]:
            row = self.rows.get((each, measure))
            if row is not None and row.is_set:
                return row.limit_value if each == organisation or row.limit_value is None else Decimal(0)
        return None

    def passed_on(self, organisation: UUID, measure: Measure) -> Decimal:
        """What one of the owners gives to those below it."""
        return self._given.get((organisation, measure), (Decimal(0), 0))[0]

    def holding(self, row: QuotaRow, name: str, own: Decimal = Decimal(0)) -> Holding:
        """What the holder of a row has, has passed on and may have."""
        measure = self.measures[row.measure]
        if row.project_id is not None:
            limit = row.limit_value if row.is_set else Decimal(0)
            return Holding(name, measure, limit, row.reservation, Decimal(0), row.factor, own)
        limit = self.limit(row.holder_id, measure)
        granted, unlimited = self._given.get((row.holder_id, row.measure), (Decimal(0), 0))
        return Holding(name, measure, limit, row.reservation, granted, row.factor, own, unlimited)


def counted(tx: Session, tree: Tree, organisation: UUID, at: datetime) -> Mapping[Measure, Decimal]:
    """What the service counts of an organisation; who is invited counts as a user."""
    users, projects = store.counts(tx, organisation, at)
    # Who is to come counts already, who is to leave until it does.
    coming = sum(tree.parents.get(each) != organisation for each in set(coming_to(tx, organisation)))
    found = {
        Measure.USERS: users,
        Measure.PROJECTS: projects,
        Measure.ORGANISATIONS: len(tree.children(organisation)) + coming,
    }
    for measure in load_measures(tx).ever.values():
        if measure.counts is not None:
            found[measure] = _count_of(tx, measure.counts, organisation, at)
    return {measure: Decimal(count) for measure, count in found.items()}


def _count_of(tx: Session, what: Counted, organisation: UUID, at: datetime) -> int:
    if what is Counted.SUBSCRIPTIONS:
        return count_running(tx, [organisation], business_now(tx, at).date())
    if what is Counted.ACCOUNTS:
        return len(accounts_of(tx, organisation))
    return count_tokens(tx, organisation, at)


def check_room_for_user(tx: Session, scope: Scope, owner: OrganisationRow) -> None:
    """Check that an organisation may have one user more; rivals queue here.

    Raises:
        QuotaExceeded: its limit leaves none.
    """
    _check_room(tx, scope, owner, Measure.USERS)


def check_room_for_project(tx: Session, scope: Scope, owner: OrganisationRow) -> None:
    """The same for a project."""
    _check_room(tx, scope, owner, Measure.PROJECTS)


def check_room_for_organisation(tx: Session, scope: Scope, owner: OrganisationRow) -> None:
    """The same for an organisation below it."""
    _check_room(tx, scope, owner, Measure.ORGANISATIONS)


def check_room_for_token(tx: Session, scope: Scope, owner: OrganisationRow) -> None:
    """The same for a token of a program."""
    check_room_for(tx, scope, owner, Counted.TOKENS)


def check_room_for(tx: Session, scope: Scope, owner: OrganisationRow, what: Counted) -> None:
    """The same for one more of what the provider has the service count."""
    for measure in load_measures(tx).listed:
        if measure.counts is what:
            _check_room(tx, scope, owner, measure)


def _check_room(tx: Session, scope: Scope, owner: OrganisationRow, measure: Measure) -> None:
    lock_quota(tx, scope.tree, owner, owner.id, None, measure)
    # Only now, that rivals wait, is what they have made seen.
    tree = load_tree(tx, scope.now)
    row = tx.get_one(QuotaRow, (owner.id, measure), populate_existing=True)
    own = counted(tx, tree, owner.id, scope.caller.at)[measure]
    held = Limits(tx, tree, [owner.id]).holding(row, owner.slug, own)
    check_counted(replace(held, name=owner.name), 1)
