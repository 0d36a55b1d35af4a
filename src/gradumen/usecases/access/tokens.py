"""Tokens of programs: made by members, never with more rights than the member has."""

import secrets
from datetime import timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.names import name_of
from gradumen.core.permissions import RIGHTS, Role
from gradumen.store.access.sessions import tokens_of
from gradumen.store.access.tables import TokenRow
from gradumen.store.organisations.organisations import find_organisation
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.sessions import digest
from gradumen.usecases.audit_entries import record
from gradumen.usecases.limits import check_room_for_token
from gradumen.usecases.scope import Caller, load_scope, require_password
from gradumen.wire.access.tokens import TokenBody

LONGEST_TOKEN_DAYS = 366


@use_case
def create_token(tx: Session, caller: Caller, *, organisation: str, name: str, role: Role, days: int) -> TokenBody:
    """Make a token for programs of the caller; its secret is in the answer and nowhere else.

    It never has more rights than the caller has at the time of use, and ends with the caller's membership.

    Raises:
        Forbidden: a role with more rights than the caller has as a member there, or a program asks.
    """
    return make_token(tx, caller, organisation=organisation, name=name, role=role, days=days)


def make_token(tx: Session, caller: Caller, *, organisation: str, name: str, role: Role, days: int) -> TokenBody:
    """As `create_token`, within a transaction."""
    require_password(caller)
    scope = load_scope(tx, caller)
    row = find_organisation(tx, organisation)
    own = scope.caller.roles.get(row.id) if row else None
    if row is None or (own is None and row.id not in scope.seen):
        raise NotFound("organisation", organisation[:70])
    if own is None or not RIGHTS[role] <= RIGHTS[own]:
        raise Forbidden(right=f"membership as {role}", organisation=row.slug, name=row.name)
    check_days(days)
    secret = f"gdm_{secrets.token_urlsafe(32)}"
    check_room_for_token(tx, scope, row)
    token = TokenRow(
        id=uuid4(),
        hash=digest(secret),
        name=name_of(name, field="name"),
        user_id=caller.user_id,
        organisation_id=row.id,
        role=role,
        expires_at=caller.at + timedelta(days=days),
        revoked_at=None,
    )
    tx.add(token)
    tx.flush()
    record(tx, caller, "token made", row.id, token.name, after={"role": role, "expires_at": token.expires_at})
    return TokenBody(
        id=token.id,
        name=token.name,
        organisation=row.slug,
        role=role,
        expires_at=token.expires_at,
        revoked=False,
        secret=secret,
    )


def check_days(days: int) -> None:
    """Check for how long a token is to last.

    Raises:
        Invalid: not at all, or too long.
    """
    if not 1 <= days <= LONGEST_TOKEN_DAYS:
        raise Invalid(f"a token lasts 1 to {LONGEST_TOKEN_DAYS} days; got {days}", field="days", value=days)


@use_case
def list_tokens(tx: Session, caller: Caller) -> list[TokenBody]:
    """The caller's tokens, newest last; a program that is no administrator sees its own only."""
    rows = tokens_of(tx, caller.user_id, only=_only(caller))
    return [
        TokenBody(
            id=row.id,
            name=row.name,
            organisation=slug,
            role=Role(row.role),
            expires_at=row.expires_at,
            revoked=row.revoked_at is not None,
        )
        for row, slug in rows
    ]


@use_case
def revoke_token(tx: Session, caller: Caller, *, token_id: UUID) -> None:
    """Withdraw a token of the caller; asking again changes nothing.

    A program that is no administrator withdraws its own only.
    """
    row = tx.get(TokenRow, token_id)
    if row is None or row.user_id != caller.user_id or _only(caller) not in (None, token_id):
        raise NotFound("token", token_id)
    if row.revoked_at is None:
        row.revoked_at = caller.at
        record(tx, caller, "token withdrawn", row.organisation_id, row.name)


def _only(caller: Caller) -> UUID | None:
    """The one token that a program deals with, unless it is an administrator's; None for people."""
    return None if Role.ADMINISTRATOR in caller.roles.values() else caller.token_id
