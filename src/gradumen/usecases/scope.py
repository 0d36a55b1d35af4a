"""Who is calling, what it may see, and what it may do. Every query passes through here."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from uuid import UUID

from gradumen.core.errors import EditedMeanwhile, Forbidden, NeedsPassword, NotActive, NotFound
from gradumen.core.organisations.states import KEPT, State
from gradumen.core.permissions import FROM_ABOVE, Right, Role, may
from gradumen.store.clock import business_time
from gradumen.store.organisations.organisations import find_organisation, find_project, lock_organisation
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, Tree, load_tree, local_day
from gradumen.store.unit_of_work import Session


@dataclass(frozen=True, slots=True)
class Caller:
    """A signed-in user or program: its roles, the real time of the call, by which token and from where it came.

    ``proved`` says that its second factor was looked at, or that it needs none: what runs by itself was asked for by
    somebody who had one where it was demanded.
    """

    user_id: UUID
    email: str
    name: str
    roles: Mapping[UUID, Role]
    at: datetime
    token_id: UUID | None = None
    address: str = ""
    proved: bool = True

    @property
    def somebody(self) -> UUID | None:
        """The user that something is on record of; None for what the service does by itself."""
        return None if self.user_id == NOBODY else self.user_id


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
        roles, parents = self.caller.roles, self.tree.parents
        each: UUID | None = organisation
        while each is not None and each not in roles:
            each = parents.get(each)
        return None if each is None else roles[each]

    def may(self, right: Right, organisation: UUID) -> bool:
        """Whether the caller has a right for an organisation: as its member, structure and quotas from above too."""
        if right in FROM_ABOVE:
            return any(self.is_member(each, right) for each in self.tree.chain(organisation))
        return self.is_member(organisation, right)

    def is_member(self, organisation: UUID, right: Right = Right.READ) -> bool:
        """Whether the caller is a member of the organisation itself, with a role that has the right, in its state."""
        role = self.caller.roles.get(organisation)
        return role is not None and may(role, right) and right in KEPT[self.tree.state(organisation)]

    def require_active(self, tx: Session, organisation: OrganisationRow, *, or_proposed: bool = False) -> None:
        """Check that something new can be made for an organisation; whoever closes it queues here.

        Raises:
            NotActive: it, or one above it, is suspended, closing or closed, or not active yet.
        """
        lock_organisation(tx, organisation.id)
        # Only now, that rivals wait, is what they have decided seen.
        tree = load_tree(tx, self.now)
        state = tree.state(organisation.id)
        if state is State.ACTIVE or (or_proposed and state is State.PROPOSED):
            return
        own = tree.own_states.get(organisation.id, State.ACTIVE) is state
        remedy = "final" if state is State.CLOSED else "its seller can make it active again"
        raise NotActive(
            f"{organisation.name} is {state}" + (f": {remedy}" if own else ", as one that it buys from is"),
            organisation=organisation.slug,
            state=state,
        )

    def require(self, right: Right, organisation: OrganisationRow) -> None:
        """Check a right.

        Raises:
            Forbidden: the organisation is seen, but this may not be done.
        """
        if not self.may(right, organisation.id):
            raise Forbidden(right=right, organisation=organisation.slug, name=organisation.name)

    def require_member(self, right: Right, organisation: OrganisationRow) -> None:
        """Check a right that only members of the organisation itself have, whatever somebody is above it.

        Raises:
            Forbidden: the organisation is seen, but this is its own.
        """
        if not self.is_member(organisation.id, right):
            raise Forbidden(right=right, organisation=organisation.slug, name=organisation.name)

    def require_provider(self, right: Right) -> UUID:
        """The provider, for what concerns the whole installation.

        Raises:
            Forbidden: the caller is no member of it that has the right.
        """
        for root in {self.tree.chain(each)[-1] for each in self.caller.roles}:
            if self.is_member(root, right):
                return root
        raise Forbidden(right=right, organisation="the provider")

    def refused_by_seller(self, tx: Session, right: Right, organisation: OrganisationRow) -> Forbidden:
        """The refusal of what an organisation's direct seller decides; every buyer knows that one by name."""
        seller = tx.get_one(OrganisationRow, self.tree.parents.get(organisation.id, organisation.id))
        return Forbidden(right=right, organisation=seller.slug, name=seller.name)

    def members_of(self, right: Right = Right.READ) -> frozenset[UUID]:
        """The organisations that the caller is a member of with a right."""
        return frozenset(organisation for organisation in self.caller.roles if self.is_member(organisation, right))

    def members_money(self) -> frozenset[UUID]:
        """The organisations whose own money the caller sees: only where it is a member itself."""
        return self.members_of(Right.READ_MONEY)

    def sees_link(self, seller: UUID, buyer: UUID) -> bool:
        """Whether the caller sees the money of a link: as a member of its seller or its buyer."""
        own = self.members_money()
        return seller in own or buyer in own


def require_password(caller: Caller) -> None:
    """Check that a person calls: tokens make neither members nor tokens.

    Raises:
        NeedsPassword: the caller is a program with a token.
    """
    if caller.token_id is not None:
        raise NeedsPassword


def business_now(tx: Session, real: datetime) -> datetime:
    """The business time at a real time, in whole seconds."""
    return business_time(tx, real)


def load_scope(tx: Session, caller: Caller) -> Scope:
    """What the caller sees at this moment."""
    now = business_now(tx, caller.at)
    tree = load_tree(tx, now)
    roles = {each: role for each, role in caller.roles.items() if KEPT[tree.state(each)]}
    if not caller.proved:
        roles = {each: role for each, role in roles.items() if tree.demanding(each) is None}
    readers = [each for each, role in roles.items() if may(role, Right.READ)]
    return Scope(replace(caller, roles=roles), tree, frozenset(tree.below(readers)), now)


def today_of(tx: Session, scope: Scope, owner: OrganisationRow) -> date:
    """The day in an organisation's billing zone."""
    return local_day(tx, owner.id, scope.now)


def today_at_seller(tx: Session, scope: Scope, buyer: UUID) -> date:
    """The day in the billing zone of an organisation's direct seller; of the root in its own."""
    return local_day(tx, scope.tree.parents.get(buyer, buyer), scope.now)


def set_aside_for(tx: Session, scope: Scope, owner: UUID, slug: str | None) -> UUID | None:
    """The organisation below an owner for whom alone something of it is to be, with all below; None is for all.

    Raises:
        NotFound: it is not below the owner.
    """
    if not slug:
        return None
    found = get_organisation(tx, scope, slug)
    if found.id == owner or owner not in scope.tree.chain(found.id):
        raise NotFound("organisation", slug[:70])
    return found.id


def may_have(tree: Tree, set_aside: UUID | None, organisation: UUID) -> bool:
    """Whether what is set aside is for an organisation: for itself, for one above it, or for it to hand down."""
    if set_aside is None:
        return True
    return set_aside in tree.chain(organisation) or organisation in tree.chain(set_aside)


NOBODY = UUID(int=0)


def scope_of_nobody(tx: Session, at: datetime) -> Scope:
    """What runs by itself knows the tree, and is nobody's member."""
    now = business_now(tx, at)
    return Scope(Caller(NOBODY, "", "", {}, at), load_tree(tx, now), frozenset(), now)


def get_organisation(tx: Session, scope: Scope, slug: str) -> OrganisationRow:
    """The organisation of that slug.

    Raises:
        NotFound: it is not there or not in scope.
    """
    row = find_organisation(tx, slug)
    if row is None or row.id not in scope.seen:
        raise NotFound("organisation", slug[:70])
    return row


def get_project(tx: Session, organisation: OrganisationRow, slug: str) -> ProjectRow:
    """The project of that slug in an organisation that is in scope.

    Raises:
        NotFound: it is not there.
    """
    row = find_project(tx, organisation.id, slug)
    if row is None:
        raise NotFound("project", f"{organisation.slug}/{slug[:70]}")
    return row


def check_unchanged(noun: str, present: int, version: int) -> None:
    """Check that nobody changed a thing meanwhile.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    if present != version:
        raise EditedMeanwhile(
            f"this {noun} is at version {present}, you changed {version}; look again and repeat", version=present
        )
