"""Queries of sessions, devices, tokens and attempts."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import and_, bindparam, delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.permissions import Role
from gradumen.store.access.tables import (
    AttemptRow,
    DeviceRow,
    MemberRow,
    SecondFactorRow,
    SessionRow,
    TokenRow,
    UserRow,
)
from gradumen.store.organisations.tables import OrganisationRow


def sessions_of(tx: Session, user: UUID, at: datetime) -> list[SessionRow]:
    """The sessions of a user that are not over, the newest first."""
    query = select(SessionRow).where(SessionRow.user_id == user, SessionRow.expires_at > at)
    return list(tx.scalars(query.order_by(SessionRow.started_at.desc(), SessionRow.id)))


def end_session(tx: Session, session: str, user: UUID | None = None) -> None:
    """End a session; with ``user`` only one of that user's."""
    gone = delete(SessionRow).where(SessionRow.id == session)
    tx.execute(gone if user is None else gone.where(SessionRow.user_id == user))


def end_sessions(tx: Session, user: UUID, *, but: str = "") -> None:
    """End a user's sessions, all but one, and forget the devices that it is known by."""
    tx.execute(delete(DeviceRow).where(DeviceRow.user_id == user))
    tx.execute(delete(SessionRow).where(SessionRow.user_id == user, SessionRow.id != but))


def drop_old(tx: Session, *, sessions_over: datetime, devices_unused: datetime) -> None:
    """Remove sessions that are over and devices that are not used any more."""
    tx.execute(delete(SessionRow).where(SessionRow.expires_at < sessions_over))
    tx.execute(delete(DeviceRow).where(DeviceRow.used_at < devices_unused))


@dataclass(frozen=True, slots=True)
class UserSession:
    """A session with its user, the roles of that by organisation, and whether it has a second factor."""

    user: UUID
    email: str
    name: str
    csrf: str
    expires_at: datetime
    proved: bool
    roles: dict[UUID, Role]


# Every request of the console asks this: it is made once.
_SESSION = (
    select(
        *(UserRow.id, UserRow.email, UserRow.name, SessionRow.csrf, SessionRow.expires_at),
        SecondFactorRow.since.is_not(None),
        *(MemberRow.organisation_id, MemberRow.role),
    )
    .select_from(SessionRow)
    .join(UserRow, UserRow.id == SessionRow.user_id)
    .outerjoin(SecondFactorRow, SecondFactorRow.user_id == UserRow.id)
    .outerjoin(MemberRow, and_(MemberRow.user_id == UserRow.id, MemberRow.disabled_at.is_(None)))
    .where(SessionRow.id == bindparam("digest"))
)


def find_session(tx: Session, digest: str) -> UserSession | None:
    """The session of a digest; what rests gives no role."""
    rows = tx.execute(_SESSION, {"digest": digest}).all()
    if not rows:
        return None
    user, email, name, csrf, expires_at, proved, _, _ = rows[0]
    roles = {organisation: Role(role) for *_, organisation, role in rows if organisation is not None}
    return UserSession(user, email, name, csrf, expires_at, bool(proved), roles)


def find_token(tx: Session, digest: str) -> TokenRow | None:
    """The token of a digest."""
    return tx.scalars(select(TokenRow).where(TokenRow.hash == digest)).first()


def count_tokens(tx: Session, organisation: UUID, at: datetime) -> int:
    """How many tokens of an organisation are valid at a moment."""
    valid = (TokenRow.revoked_at.is_(None), TokenRow.expires_at > at)
    return tx.scalar(select(func.count()).where(TokenRow.organisation_id == organisation, *valid)) or 0


def tokens_of(tx: Session, user: UUID, *, only: UUID | None) -> list[tuple[TokenRow, str]]:
    """The tokens of a user with the slugs of their organisations, newest last; or the one of an id."""
    query = (
        select(TokenRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == TokenRow.organisation_id)
        .where(TokenRow.user_id == user)
        .order_by(TokenRow.expires_at, TokenRow.id)
    )
    rows = tx.execute(query if only is None else query.where(TokenRow.id == only))
    return [(token, slug) for token, slug in rows]


def revoke_tokens(tx: Session, user: UUID, organisation: UUID, at: datetime) -> None:
    """Withdraw the tokens of a user in an organisation."""
    tx.execute(
        update(TokenRow)
        .where(TokenRow.user_id == user, TokenRow.organisation_id == organisation, TokenRow.revoked_at.is_(None))
        .values(revoked_at=at)
    )


def token_names(tx: Session, tokens: Collection[UUID]) -> dict[UUID, str]:
    """Names of tokens."""
    return {row.id: row.name for row in tx.scalars(select(TokenRow).where(TokenRow.id.in_(tokens)))}


def lock_attempts(tx: Session, subject: str, at: datetime) -> AttemptRow:
    """The row that counts attempts at a subject, made where there is none, for a decision."""
    fresh = insert(AttemptRow).values(subject=subject, attempts=0, last_at=at)
    tx.execute(fresh.on_duplicate_key_update(attempts=AttemptRow.attempts))
    return tx.get_one(AttemptRow, subject, with_for_update=True)


def drop_attempts(tx: Session, *, subjects: Collection[str] | None = None, before: datetime | None = None) -> None:
    """Forget attempts at subjects, or those of before a moment."""
    if subjects is not None:
        tx.execute(delete(AttemptRow).where(AttemptRow.subject.in_(subjects)))
    if before is not None:
        tx.execute(delete(AttemptRow).where(AttemptRow.last_at < before))


def take_back_attempt(tx: Session, subject: str) -> None:
    """One attempt less at a subject."""
    tx.execute(
        update(AttemptRow)
        .where(AttemptRow.subject == subject, AttemptRow.attempts > 0)
        .values(attempts=AttemptRow.attempts - 1)
    )
