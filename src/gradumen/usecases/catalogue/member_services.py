"""Of which services a member orders and sells plans: all that its role may, or some."""

from collections.abc import Collection, Sequence
from uuid import UUID

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.permissions import Right
from gradumen.store.access.members import services_of
from gradumen.store.access.second_factors import users_with
from gradumen.store.access.tables import InvitationRow, UserRow
from gradumen.store.catalogue.tables import PlanRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.sales import tiers_had
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.members import to_manage, view_of
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.access.members import MemberBody


@use_case
def set_member_services(
    tx: Session, caller: Caller, *, organisation: str, user_id: UUID, services: Sequence[str] | None
) -> MemberBody:
    """Hold a member to plans of some services, in all that it orders and sells; None is all. Safe to repeat.

    Raises:
        Invalid: a service that the organisation can neither order nor sell.
        NotFound, Forbidden: as for any change of a member.
    """
    row, member = to_manage(tx, caller, organisation, user_id)
    if member is None:
        raise NotFound("member", user_id)
    user = tx.get_one(UserRow, user_id)
    found = read_services(tx, load_scope(tx, caller), row, services)
    if found != member.services:
        change = {"services": member.services}, {"services": found}
        record(tx, caller, "member changed", row.id, user.email, before=change[0], after=change[1])
        member.services = found
        tx.flush()
    return view_of(user, member, bool(users_with(tx, [user_id])))


@use_case
def set_invitation_services(
    tx: Session, caller: Caller, *, invitation_id: UUID, services: Sequence[str] | None
) -> None:
    """The same for whoever accepts an invitation that is open. Safe to repeat.

    Raises:
        NotFound: there is none, it is not open any more, or the caller does not manage members there.
        Invalid: as for a member.
    """
    scope = load_scope(tx, caller)
    invitation = tx.get(InvitationRow, invitation_id, with_for_update=True)
    manages = invitation is not None and scope.is_member(invitation.organisation_id, Right.MANAGE_MEMBERS)
    if invitation is None or not manages or invitation.accepted_at or invitation.withdrawn_at:
        raise NotFound("invitation", invitation_id)
    row = tx.get_one(OrganisationRow, invitation.organisation_id)
    found = read_services(tx, scope, row, services)
    if found != invitation.services:
        record(tx, caller, "invitation changed", row.id, invitation.email, after={"services": found})
        invitation.services = found


def read_services(
    tx: Session, scope: Scope, organisation: OrganisationRow, services: Sequence[str] | None
) -> list[str] | None:
    """Services that an organisation can order, has, or sells itself, in the order of their slugs.

    Raises:
        Invalid: one that it cannot; those that it can are told.
    """
    if services is None:
        return None
    known = _services_for(tx, scope, organisation, load_published(tx))
    for each in services:
        if each not in known:
            can = ", ".join(sorted(known)) or "none"
            raise Invalid(
                f"'{each[:70]}' is no service that {organisation.name} can order or sell; it can: {can}",
                field="services",
                value=each[:70],
            )
    return sorted(set(services))


def _services_for(tx: Session, scope: Scope, organisation: OrganisationRow, published: Published) -> set[str]:
    chain = scope.tree.chain(organisation.id)
    offers, known = Offers(tx, chain, published), organisations_by_id(tx, set(chain))
    has = {plan for _, plan, _ in tiers_had(tx, [organisation.id])}
    found = {slug for (kind, slug), owner in published.owners.items() if kind == "service" and owner == organisation.id}
    for slug, plan in published.plans.items():
        if slug in has or offers.right(scope.tree, known, organisation.id, slug, any_project=True).tiers:
            found |= set(plan.services)
    return found


def require_services(tx: Session, scope: Scope, acting: UUID, plan: str | UUID) -> None:
    """Check that a caller may order or sell a plan, as a member of the organisation for which it acts.

    Raises:
        Forbidden: it is held to other services there.
    """
    held = services_of(tx, scope.caller.user_id).get(acting)
    if held is None:
        return
    slug = plan if isinstance(plan, str) else tx.get_one(PlanRow, plan).slug
    plans = load_published(tx).plans
    missing = lacking(held, plans[slug].services if slug in plans else ())
    if missing is not None:
        row = tx.get_one(OrganisationRow, acting)
        raise Forbidden(right=f"order {missing}", organisation=row.slug, name=row.name)


def lacking(held: Collection[str] | None, services: Sequence[str]) -> str | None:
    """The first of a plan's services that is not among those that a member is held to; None: all are.

    >>> lacking(["compute"], ["compute", "backup"])
    'backup'
    >>> lacking(None, ["compute", "backup"]) is None
    True
    """
    return None if held is None else next((each for each in services if each not in held), None)
