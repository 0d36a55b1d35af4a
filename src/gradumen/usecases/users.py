"""Members of organisations, tokens of programs, and the first set-up."""

import re
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.catalogue import name_of
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.permissions import RIGHTS, Right, Role
from gradumen.store.organisations import OrganisationRow
from gradumen.store.unit_of_work import use_case
from gradumen.store.users import MemberRow, TokenRow, UserRow
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.usecases.sessions import HASHER, digest

_EMAIL = re.compile(r"[^@\s<>\"']{1,64}@[A-Za-z0-9.-]{1,120}\.[A-Za-z]{2,}")
SHORTEST_PASSWORD, LONGEST_PASSWORD = 12, 200
LONGEST_TOKEN_DAYS = 366


@dataclass(frozen=True, slots=True)
class Member:
    """A user in an organisation."""

    user_id: UUID
    email: str
    name: str
    role: Role


@dataclass(frozen=True, slots=True)
class Token:
    """A program's token; ``secret`` is set only when it was just made."""

    id: UUID
    name: str
    organisation: str
    role: Role
    expires_at: datetime
    revoked: bool
    secret: str | None = None


def email_of(raw: str) -> str:
    """Read an e-mail address.

    Raises:
        Invalid: not one.
    """
    if not _EMAIL.fullmatch(raw.strip()):
        raise Invalid(f"e-mail address '{raw[:80]}' is not one; write it like mara@tarnwick.example", field="email")
    return raw.strip()


def check_password(password: str) -> str:
    """Check a new password's length.

    Raises:
        Invalid: too short or too long.
    """
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise Invalid(
            f"a password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters; this one has {len(password)}",
            field="password",
        )
    return password


def add_user(tx: Session, *, email: str, name: str, password: str) -> UserRow:
    """Add a user inside an open transaction."""
    row = UserRow(
        id=uuid4(),
        email=email_of(email),
        name=name_of(name, field="name"),
        password_hash=HASHER.hash(check_password(password)),
    )
    tx.add(row)
    tx.flush()
    return row


@use_case
def add_member(
    tx: Session, caller: Caller, *, organisation: str, email: str, name: str, password: str, role: Role
) -> Member:
    """Make a new user a member of an organisation.

    Raises:
        Conflict: a user of that address exists; it is not told where.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_MEMBERS, row)
    if tx.scalars(select(UserRow.id).where(UserRow.email == email_of(email))).first() is not None:
        raise Conflict(f"'{email}' cannot be added as a new user; use another address", field="email")
    user = add_user(tx, email=email, name=name, password=password)
    tx.add(MemberRow(user_id=user.id, organisation_id=row.id, role=role))
    return Member(user.id, user.email, user.name, role)


@use_case
def list_members(tx: Session, caller: Caller, *, organisation: str) -> list[Member]:
    """The members of an organisation, by e-mail address."""
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    rows = tx.execute(
        select(UserRow, MemberRow.role)
        .join(MemberRow, MemberRow.user_id == UserRow.id)
        .where(MemberRow.organisation_id == row.id)
        .order_by(UserRow.email)
    )
    return [Member(user.id, user.email, user.name, Role(role)) for user, role in rows]


@use_case
def create_token(tx: Session, caller: Caller, *, organisation: str, name: str, role: Role, days: int) -> Token:
    """Make a token for programs of the caller; its secret is in the answer and nowhere else.

    Raises:
        Forbidden: a role with more rights than the caller has as a member there.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    own = caller.roles.get(row.id)
    if own is None or not RIGHTS[role] <= RIGHTS[own]:
        raise Forbidden(right=f"membership as {role}", organisation=row.slug)
    if not 1 <= days <= LONGEST_TOKEN_DAYS:
        raise Invalid(f"a token lasts 1 to {LONGEST_TOKEN_DAYS} days; got {days}", field="days", value=days)
    secret = f"gdm_{secrets.token_urlsafe(32)}"
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
    return Token(token.id, token.name, row.slug, role, token.expires_at, False, secret)


@use_case
def list_tokens(tx: Session, caller: Caller) -> list[Token]:
    """The caller's tokens, newest last."""
    rows = tx.execute(
        select(TokenRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == TokenRow.organisation_id)
        .where(TokenRow.user_id == caller.user_id)
        .order_by(TokenRow.expires_at, TokenRow.id)
    )
    return [
        Token(row.id, row.name, slug, Role(row.role), row.expires_at, row.revoked_at is not None) for row, slug in rows
    ]


@use_case
def revoke_token(tx: Session, caller: Caller, *, token_id: UUID) -> None:
    """Withdraw a token of the caller; asking again changes nothing."""
    row = tx.get(TokenRow, token_id)
    if row is None or row.user_id != caller.user_id:
        raise NotFound("token", token_id)
    row.revoked_at = row.revoked_at or caller.at
