"""Members of organisations: who is one, invitations, roles, rest and removal."""

import secrets
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Forbidden, NotFound, NotSignedIn
from gradumen.core.messages import Kind, day_words
from gradumen.core.permissions import Right, Role
from gradumen.store.access import members
from gradumen.store.access.second_factors import users_with
from gradumen.store.access.sessions import revoke_tokens
from gradumen.store.access.tables import InvitationRow, MemberRow, UserRow
from gradumen.store.metering.feeds import drop_sender
from gradumen.store.organisations.organisations import lock_organisation, organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.sessions import digest
from gradumen.usecases.access.users import add_user, email_of
from gradumen.usecases.audit_entries import nameable, record
from gradumen.usecases.limits import check_room_for_user
from gradumen.usecases.messages import Reader, tell
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, require_password
from gradumen.wire.access.members import InvitationBody, JoinedBody, MemberBody
from gradumen.wire.access.sessions import HeldBackBody

INVITED_FOR = timedelta(days=7)


@use_case
def list_memberships(tx: Session, caller: Caller) -> list[JoinedBody]:
    """What the caller is, and where; not where its organisation is closed, or not active yet."""
    roles = load_scope(tx, caller).caller.roles
    rows = organisations_by_id(tx, set(roles))
    found = [
        JoinedBody(organisation=row.slug, name=row.name, type=row.type, role=roles[id]) for id, row in rows.items()
    ]
    return sorted(found, key=lambda each: each.organisation)


@use_case
def list_held_back(tx: Session, caller: Caller) -> list[HeldBackBody]:
    """Where the caller is a member to no avail until it has a second factor."""
    tree = load_scope(tx, caller).tree
    demanded = {each: by for each in caller.roles if not caller.proved and (by := tree.demanding(each)) is not None}
    rows = organisations_by_id(tx, {*demanded, *demanded.values()})
    found = [
        # Who is above one's seller is not named.
        HeldBackBody(
            organisation=rows[each].slug,
            name=rows[each].name,
            demanded_by=rows[by].name if by in tree.chain(each)[:2] else rows[each].name,
        )
        for each, by in demanded.items()
    ]
    return sorted(found, key=lambda each: each.organisation)


@use_case
def list_members(tx: Session, caller: Caller, *, organisation: str) -> list[MemberBody]:
    """The members of an organisation, by e-mail address; for its members.

    Raises:
        Forbidden: the caller is above the organisation: its people are its own.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, row)
    found = members.members_of(tx, row.id)
    factors = users_with(tx, {user.id for user, _ in found})
    return [_view(user, member, user.id in factors) for user, member in found]


def _view(user: UserRow, member: MemberRow, second_factor: bool) -> MemberBody:
    return MemberBody(
        user_id=user.id,
        email=user.email,
        name=user.name,
        role=Role(member.role),
        disabled=member.disabled_at is not None,
        second_factor=second_factor,
    )


@use_case
def invite_member(tx: Session, caller: Caller, *, organisation: str, email: str, role: Role) -> InvitationBody:
    """Offer membership to one address, by mail too. Its link is in the answer; an older one to it is withdrawn.

    An organisation invites its own people. Whoever manages it from above invites the first ones only, and nobody who
    is a member above it: nobody makes itself a member below.

    Raises:
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
    made = InvitationRow(
        id=uuid4(),
        organisation_id=row.id,
        email=address,
        role=role,
        hash=digest(secret),
        invited_by=caller.user_id,
        invited_from=acting,
        created_at=caller.at,
        expires_at=caller.at + INVITED_FOR,
        accepted_at=None,
        withdrawn_at=None,
    )
    tx.add(made)
    record(tx, caller, "member invited", acting, address, concerns=row.id, after={"role": role})
    inviter = tx.get_one(OrganisationRow, acting)
    _tell_invited(tx, caller, made, row, inviter, secret)
    tx.flush()
    return InvitationBody(
        id=made.id,
        organisation=row.slug,
        email=address,
        role=role,
        invited_from=inviter.slug,
        expires_at=made.expires_at,
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
    return [
        InvitationBody(
            id=each.id,
            organisation=row.slug,
            email=each.email,
            role=Role(each.role),
            invited_from=names[each.invited_from].slug if each.invited_from in named else "",
            expires_at=each.expires_at,
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
        tx.add(MemberRow(user_id=user.id, organisation_id=row.organisation_id, role=row.role, disabled_at=None))
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


@use_case
def change_member(
    tx: Session, caller: Caller, *, organisation: str, user_id: UUID, role: Role | None, disabled: bool | None
) -> MemberBody:
    """Give a member another role, or let the membership rest or go on. Safe to repeat.

    Raises:
        Conflict: it is the last administrator that is left.
        QuotaExceeded: a membership is to go on, and the organisation may have no more users.
    """
    row, member = _to_manage(tx, caller, organisation, user_id)
    if member is None:
        raise NotFound("member", user_id)
    factor = bool(users_with(tx, [user_id]))
    before = _view(tx.get_one(UserRow, user_id), member, factor)
    if role not in (None, Role.ADMINISTRATOR) or disabled:
        _keep_one(tx, row, member)
    if role is not None:
        member.role = role
    if disabled is False and member.disabled_at is not None:
        check_room_for_user(tx, load_scope(tx, caller), row)
    if disabled is not None:
        member.disabled_at = (member.disabled_at or caller.at) if disabled else None
    after = _view(tx.get_one(UserRow, user_id), member, factor)
    if after != before:
        changes = {"role": before.role, "disabled": before.disabled}, {"role": after.role, "disabled": after.disabled}
        record(tx, caller, "member changed", row.id, after.email, before=changes[0], after=changes[1])
    tx.flush()
    return after


@use_case
def remove_member(tx: Session, caller: Caller, *, organisation: str, user_id: UUID) -> None:
    """End a membership, one's own too, with its tokens and its rights on feeds; asking again changes nothing.

    Raises:
        Conflict: it is the last administrator that is left.
    """
    row, member = _to_manage(tx, caller, organisation, user_id, or_own=True)
    if member is None:
        return
    _keep_one(tx, row, member)
    revoke_tokens(tx, user_id, row.id, caller.at)
    drop_sender(tx, row.id, user_id)
    user = tx.get_one(UserRow, user_id)
    record(tx, caller, "member removed", row.id, user.email, before={"role": member.role})
    tx.delete(member)


def _to_manage(
    tx: Session, caller: Caller, organisation: str, user_id: UUID, *, or_own: bool = False
) -> tuple[OrganisationRow, MemberRow | None]:
    """A membership for those who manage members; ``or_own``, its user's own too."""
    require_password(caller)
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    if not (or_own and scope.is_member(row.id) and user_id == caller.user_id):
        scope.require_member(Right.MANAGE_MEMBERS, row)
    lock_organisation(tx, row.id)
    return row, tx.get(MemberRow, (user_id, row.id), populate_existing=True)


def _keep_one(tx: Session, row: OrganisationRow, member: MemberRow) -> None:
    """An organisation keeps an administrator who can act."""
    others = members.count_other_administrators(tx, row.id, member.user_id)
    if member.role == Role.ADMINISTRATOR and member.disabled_at is None and not others:
        raise Conflict(f"this is the last administrator of {row.slug}; make another member one first")
