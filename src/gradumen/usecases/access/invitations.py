"""Invitations to organisations: made, listed, taken back and accepted."""

import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Forbidden, NotFound, NotSignedIn
from gradumen.core.messages import Kind, day_words
from gradumen.core.permissions import Right, Role
from gradumen.store.access import members
from gradumen.store.access.programs import programs_of
from gradumen.store.access.tables import InvitationRow, MemberRow
from gradumen.store.organisations.organisations import lock_organisation, organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.programs import plan_programs
from gradumen.usecases.access.sessions import digest
from gradumen.usecases.access.users import add_user, email_of
from gradumen.usecases.audit_entries import nameable, record
from gradumen.usecases.limits import check_room_for_user
from gradumen.usecases.messages import Reader, tell
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, require_password
from gradumen.wire.access.members import InvitationBody, JoinedBody
from gradumen.wire.access.programs import ProgramPlan

INVITED_FOR = timedelta(days=7)


@use_case
def invite_member(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    email: str,
    role: Role,
    services: Sequence[str] | None = None,
    programs: Sequence[ProgramPlan] = (),
) -> InvitationBody:
    """Offer membership to one address, by mail too. Its link is in the answer; an older one to it is withdrawn.

    An organisation invites its own people. Whoever manages it from above invites the first ones only, and nobody who
    is a member above it: nobody makes itself a member below.

    Args:
        services: of which it may order plans, looked at before; None is all.
        programs: whose tokens it collects once it joined.

    Raises:
        Invalid: a program may more than who is invited, or its token would last too long.
        Forbidden: the organisation has members already, or the caller may not manage it.
        Conflict: the address is a member's there, or of one above it.
        QuotaExceeded: it may have no more users.
    """
    require_password(caller)
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    lock_organisation(tx, row.id)
    address = email_of(email)
    acting = row.id
    if not scope.is_member(row.id, Right.MANAGE_MEMBERS):
        acting = _inviting_from(tx, scope, row, address)
    if members.is_member(tx, address, [row.id]):
        raise Conflict(f"'{address}' is a member of {row.slug} already; change its role instead", field="email")
    members.withdraw_invitations(tx, row.id, address, caller.at)
    check_room_for_user(tx, scope, row)
    secret = secrets.token_urlsafe(32)
    made = InvitationRow(id=uuid4(), organisation_id=row.id, email=address, role=role, hash=digest(secret))
    made.invited_by, made.invited_from, made.created_at = caller.user_id, acting, caller.at
    made.expires_at = caller.at + INVITED_FOR
    made.services = None if services is None else list(services)
    tx.add(made)
    tx.flush()
    plan_programs(tx, made, programs)
    held = {} if services is None else {"services": list(services)}
    record(tx, caller, "member invited", acting, address, concerns=row.id, after={"role": role, **held})
    inviter = tx.get_one(OrganisationRow, acting)
    _tell_invited(tx, caller, made, row, inviter, secret)
    tx.flush()
    return _offer(made, row.slug, inviter.slug, programs, secret)


def _offer(
    made: InvitationRow, organisation: str, inviter: str, programs: Sequence[ProgramPlan], secret: str | None = None
) -> InvitationBody:
    return InvitationBody(
        id=made.id,
        organisation=organisation,
        email=made.email,
        role=Role(made.role),
        invited_from=inviter,
        expires_at=made.expires_at,
        services=made.services,
        programs=[*programs],
        secret=secret,
    )


def _tell_invited(
    tx: Session, caller: Caller, made: InvitationRow, row: OrganisationRow, inviter: OrganisationRow, secret: str
) -> None:
    facts = {
        "organisation": row.name,
        "inviter": caller.name if inviter.id == row.id else f"{caller.name} ({inviter.name})",
        "role": made.role,
        "until": day_words(made.expires_at.date()),
    }
    tell(
        tx,
        Kind.INVITATION,
        Reader(made.email, ""),
        facts,
        at=caller.at,
        organisation=inviter.id,
        sender=inviter.id,
        path="/join#",
        secret=secret,
    )


def _inviting_from(tx: Session, scope: Scope, row: OrganisationRow, email: str) -> UUID:
    """The organisation above from which the first members are invited."""
    chain = scope.tree.chain(row.id)[1:]
    acting = next((each for each in chain if scope.is_member(each, Right.MANAGE_ORGANISATIONS)), None)
    if acting is None or members.has_members(tx, row.id):
        raise Forbidden(right=Right.MANAGE_MEMBERS, organisation=row.slug, name=row.name)
    if members.is_member(tx, email, chain):
        raise Conflict(
            f"'{email}' is a member of an organisation above {row.slug}; invite one of its own people",
            field="email",
        )
    return acting


@use_case
def list_invitations(tx: Session, caller: Caller, *, organisation: str) -> list[InvitationBody]:
    """The open invitations to an organisation, by address; for those who manage its members."""
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, row)
    rows = members.open_invitations(tx, row.id, caller.at)
    names, named = organisations_by_id(tx, {each.invited_from for each in rows}), nameable(tx, scope, row.id)
    planned = programs_of(tx, [each.id for each in rows])
    return [
        _offer(
            each,
            row.slug,
            names[each.invited_from].slug if each.invited_from in named else "",
            [
                ProgramPlan(name=program.name, role=Role(program.role), days=program.days)
                for program in planned.get(each.id, [])
            ],
        )
        for each in rows
    ]


@use_case
def withdraw_invitation(tx: Session, caller: Caller, *, invitation_id: UUID) -> None:
    """Take an invitation back; asking again changes nothing."""
    scope = load_scope(tx, caller)
    row = tx.get(InvitationRow, invitation_id, with_for_update=True)
    if row is None or not (
        scope.is_member(row.organisation_id, Right.MANAGE_MEMBERS) or row.invited_by == caller.user_id
    ):
        raise NotFound("invitation", invitation_id)
    if row.accepted_at is None and row.withdrawn_at is None:
        row.withdrawn_at = caller.at
        record(tx, caller, "invitation withdrawn", row.invited_from, row.email, concerns=row.organisation_id)


@use_case
def accept_invitation(
    tx: Session,
    caller: Caller | None,
    *,
    secret: str,
    name: str | None,
    password: str | None,
    at: datetime,
    address: str,
) -> JoinedBody:
    """Become the member that an invitation names: as a new user, or signed in as the user of its address.

    Raises:
        NotFound: no such invitation, or it is used, withdrawn or over.
        NotSignedIn: a user of its address exists; nobody else accepts it.
        Invalid: a new user without name or a fit password.
    """
    row = members.lock_invitation(tx, digest(secret))
    if row is None or row.accepted_at or row.withdrawn_at or row.expires_at <= at:
        raise NotFound("invitation", secret[:6] + "…")
    user = members.find_user(tx, row.email)
    if caller is not None and (user is None or user.id != caller.user_id or caller.token_id is not None):
        raise NotSignedIn(
            f"this invitation is for {row.email}; sign in as that user, or sign out to begin as a new one"
        )
    if caller is None and user is not None:
        raise NotSignedIn(f"{row.email} has a sign-in already; sign in first, then open the link again")
    if user is None:
        user = add_user(tx, email=row.email, name=name or "", password=password or "")
    lock_organisation(tx, row.organisation_id)
    member = tx.get(MemberRow, (user.id, row.organisation_id))
    if member is None:
        joined = MemberRow(user_id=user.id, organisation_id=row.organisation_id, role=row.role, disabled_at=None)
        joined.services = row.services
        tx.add(joined)
    row.accepted_at = at
    # A link made before was made without the say of this organisation.
    members.drop_password_resets(tx, user.id)
    organisation = tx.get_one(OrganisationRow, row.organisation_id)
    acting = Caller(user.id, user.email, user.name, {}, at, None, address)
    tx.flush()
    record(tx, acting, "member joined", row.organisation_id, user.email, after={"role": row.role})
    if row.invited_from != row.organisation_id:
        record(tx, acting, "member joined", row.invited_from, f"{user.email} in {organisation.slug}")
    return JoinedBody(
        organisation=organisation.slug, name=organisation.name, type=organisation.type, role=Role(row.role)
    )
