"""Members of organisations: who is one, roles, rest and removal."""

from uuid import UUID

from gradumen.core.errors import Conflict, NotFound
from gradumen.core.permissions import Right, Role
from gradumen.store.access import members
from gradumen.store.access.second_factors import users_with
from gradumen.store.access.sessions import revoke_tokens
from gradumen.store.access.tables import MemberRow, UserRow
from gradumen.store.metering.feeds import drop_sender
from gradumen.store.organisations.organisations import lock_organisation, organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.limits import check_room_for_user
from gradumen.usecases.scope import Caller, get_organisation, load_scope, require_password
from gradumen.wire.access.members import JoinedBody, MemberBody
from gradumen.wire.access.sessions import HeldBackBody


@use_case
def list_memberships(tx: Session, caller: Caller) -> list[JoinedBody]:
    """What the caller is, and where; not where its organisation is closed, or not active yet."""
    roles = load_scope(tx, caller).caller.roles
    rows = organisations_by_id(tx, set(roles))
    held = members.services_of(tx, caller.user_id)
    found = [
        JoinedBody(organisation=row.slug, name=row.name, type=row.type, role=roles[id], services=held.get(id))
        for id, row in rows.items()
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
    return [view_of(user, member, user.id in factors) for user, member in found]


def view_of(user: UserRow, member: MemberRow, second_factor: bool) -> MemberBody:
    """A member as those see it who manage members."""
    return MemberBody(
        user_id=user.id,
        email=user.email,
        name=user.name,
        role=Role(member.role),
        disabled=member.disabled_at is not None,
        second_factor=second_factor,
        services=member.services,
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
    row, member = to_manage(tx, caller, organisation, user_id)
    if member is None:
        raise NotFound("member", user_id)
    factor = bool(users_with(tx, [user_id]))
    before = view_of(tx.get_one(UserRow, user_id), member, factor)
    if role not in (None, Role.ADMINISTRATOR) or disabled:
        _keep_one(tx, row, member)
    if role is not None:
        member.role = role
    if disabled is False and member.disabled_at is not None:
        check_room_for_user(tx, load_scope(tx, caller), row)
    if disabled is not None:
        member.disabled_at = (member.disabled_at or caller.at) if disabled else None
    after = view_of(tx.get_one(UserRow, user_id), member, factor)
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
    row, member = to_manage(tx, caller, organisation, user_id, or_own=True)
    if member is None:
        return
    _keep_one(tx, row, member)
    revoke_tokens(tx, user_id, row.id, caller.at)
    drop_sender(tx, row.id, user_id)
    user = tx.get_one(UserRow, user_id)
    record(tx, caller, "member removed", row.id, user.email, before={"role": member.role})
    tx.delete(member)


def to_manage(
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
