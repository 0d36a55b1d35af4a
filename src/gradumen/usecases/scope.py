"""Who is calling, what it may see, and what it may do. Every query passes through here."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.errors import Forbidden, NotFound
from gradumen.core.permissions import Right, Role, may
from gradumen.store.clock import BusinessClockRow
from gradumen.store.organisations import OrganisationRow, ProjectRow, Tree, load_tree


@dataclass(frozen=True, slots=True)
class Caller:
    """A signed-in user or program: its roles, and the real time of the call."""

    user_id: UUID
    email: str
    name: str
    roles: Mapping[UUID, Role]
    at: datetime


@dataclass(frozen=True, slots=True)
class Scope:
    """What a caller sees now: its organisations and all under them."""

    caller: Caller
    tree: Tree
    seen: frozenset[UUID]
    now: datetime
    """The business time."""

    def role(self, organisation: UUID) -> Role | None:
        """The caller's role for an organisation: its own there, or the one nearest above."""
        for each in self.tree.chain(organisation):
            if each in self.caller.roles:
                return self.caller.roles[each]
        return None

    def may(self, right: Right, organisation: UUID) -> bool:
        """Whether the caller has a right for an organisation that it sees, there or from above."""
        chain = self.tree.chain(organisation)
        return any(may(self.caller.roles[each], right) for each in chain if each in self.caller.roles)

    def require(self, right: Right, organisation: OrganisationRow) -> None:
        """Check a right.

        Raises:
            Forbidden: the organisation is seen, but this may not be done.
        """
        if not self.may(right, organisation.id):
            raise Forbidden(right=right, organisation=organisation.slug)

    def members_money(self) -> frozenset[UUID]:
        """The organisations whose own money the caller sees: only where it is a member itself."""
        return frozenset(org for org, role in self.caller.roles.items() if may(role, Right.READ_MONEY))

    def sees_link(self, seller: UUID, buyer: UUID) -> bool:
        """Whether the caller sees the money of a link: as a member of its seller or its buyer."""
        own = self.members_money()
        return seller in own or buyer in own


def business_now(tx: Session, real: datetime) -> datetime:
    """The business time at a real time, in whole seconds."""
    row = tx.get_one(BusinessClockRow, 1)
    return (row.held_at or real + timedelta(seconds=row.offset_seconds)).replace(microsecond=0)


def load_scope(tx: Session, caller: Caller) -> Scope:
    """What the caller sees at this moment."""
    now = business_now(tx, caller.at)
    tree = load_tree(tx, now)
    return Scope(caller, tree, frozenset(tree.below(caller.roles)), now)


def get_organisation(tx: Session, scope: Scope, slug: str) -> OrganisationRow:
    """The organisation of that slug.

    Raises:
        NotFound: it is not there or not in scope.
    """
    row = tx.scalars(select(OrganisationRow).where(OrganisationRow.slug == slug)).first()
    if row is None or row.id not in scope.seen:
        raise NotFound("organisation", slug[:70])
    return row


def get_project(tx: Session, organisation: OrganisationRow, slug: str) -> ProjectRow:
    """The project of that slug in an organisation that is in scope.

    Raises:
        NotFound: it is not there.
    """
    row = tx.scalars(
        select(ProjectRow).where(ProjectRow.organisation_id == organisation.id, ProjectRow.slug == slug)
    ).first()
    if row is None:
        raise NotFound("project", f"{organisation.slug}/{slug[:70]}")
    return row


def organisations_by_id(tx: Session, ids: set[UUID]) -> dict[UUID, OrganisationRow]:
    """Rows of organisations by id."""
    if not ids:
        return {}
    return {row.id: row for row in tx.scalars(select(OrganisationRow).where(OrganisationRow.id.in_(ids)))}
