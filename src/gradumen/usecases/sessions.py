"""Sign-in with password, sessions of the console, and who a session or token belongs to."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from gradumen.core.errors import Forbidden, NotSignedIn, SlowDown
from gradumen.core.permissions import Role
from gradumen.store.unit_of_work import UnitOfWork, use_case
from gradumen.store.users import MemberRow, SessionRow, SignInFailureRow, TokenRow, UserRow
from gradumen.usecases.scope import Caller

HASHER = PasswordHasher(time_cost=2, memory_cost=19 * 1024, parallelism=1)
"""Argon2id with the parameters of RFC 9106's low-memory advice, as commonly recommended for web sign-in."""
_DUMMY = HASHER.hash(secrets.token_hex(16))
_REMEMBERED = timedelta(minutes=15)
WRONG = "the e-mail address or the password is wrong"


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A new session: the cookie's secret, and the value that the console sends back in X-CSRF-Token."""

    secret: str
    csrf: str
    expires_at: datetime


def digest(secret: str) -> str:
    """What is stored of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


def sign_in(
    uow: UnitOfWork, *, email: str, password: str, address: str, at: datetime, free: int, longest: int, hours: int
) -> SignedIn:
    """Start a session.

    Failures are counted per account and per network address; after ``free`` of them each doubles a waiting time.

    Raises:
        SlowDown: too many failures; the password is not looked at.
        NotSignedIn: wrong address or password, not told apart.
    """
    subjects = [f"account {email.strip().lower()}"[:190], f"address {address}"[:190]]
    _check_pace(uow, subjects, at=at, free=free, longest=longest)
    known = _password_hash(uow, email)
    right = _verify(known[1] if known else _DUMMY, password)
    if known is None or not right:
        _note_failure(uow, subjects, at=at)
        raise NotSignedIn(WRONG)
    return _start(uow, known[0], subjects[0], at=at, hours=hours)


def _verify(stored: str, password: str) -> bool:
    try:
        return HASHER.verify(stored, password)
    except (VerificationError, InvalidHashError):
        return False


@use_case
def _check_pace(tx: Session, subjects: list[str], *, at: datetime, free: int, longest: int) -> None:
    for index, subject in enumerate(subjects):
        count, last = tx.execute(
            select(func.count(), func.max(SignInFailureRow.at)).where(
                SignInFailureRow.subject == subject, SignInFailureRow.at > at - _REMEMBERED
            )
        ).one()
        allowed = free if index == 0 else free * 10
        if count < allowed or last is None:
            continue
        wait = min(longest, 2 ** min(count - allowed, 20))
        left = int((last + timedelta(seconds=wait) - at).total_seconds()) + 1
        if left > 0:
            raise SlowDown(retry_after_seconds=left)


@use_case
def _password_hash(tx: Session, email: str) -> tuple[UUID, str] | None:
    row = tx.scalars(select(UserRow).where(UserRow.email == email.strip())).first()
    return (row.id, row.password_hash) if row else None


@use_case
def _note_failure(tx: Session, subjects: list[str], *, at: datetime) -> None:
    tx.execute(delete(SignInFailureRow).where(SignInFailureRow.at < at - _REMEMBERED * 4))
    tx.add_all(SignInFailureRow(subject=subject, at=at) for subject in subjects)


@use_case
def _start(tx: Session, user_id: UUID, subject: str, *, at: datetime, hours: int) -> SignedIn:
    tx.execute(delete(SignInFailureRow).where(SignInFailureRow.subject == subject))
    tx.execute(delete(SessionRow).where(SessionRow.expires_at < at))
    signed = SignedIn(secrets.token_urlsafe(32), secrets.token_urlsafe(24), at + timedelta(hours=hours))
    tx.add(SessionRow(id=digest(signed.secret), user_id=user_id, csrf=signed.csrf, expires_at=signed.expires_at))
    return signed


@use_case
def sign_out(tx: Session, *, secret: str) -> None:
    """End a session; asking again changes nothing."""
    tx.execute(delete(SessionRow).where(SessionRow.id == digest(secret)))


@use_case
def caller_of_session(tx: Session, *, secret: str, csrf: str | None, unsafe: bool, at: datetime) -> tuple[Caller, str]:
    """The caller of a console session, and its CSRF value.

    Raises:
        NotSignedIn: no such session, or it is over.
        Forbidden: an unsafe call without the session's CSRF value.
    """
    row = tx.get(SessionRow, digest(secret))
    if row is None or row.expires_at <= at:
        raise NotSignedIn("the session is over; sign in again")
    if unsafe and not secrets.compare_digest(row.csrf, csrf or ""):
        raise Forbidden(right="X-CSRF-Token of this session", organisation="the console")
    user = tx.get_one(UserRow, row.user_id)
    roles = {
        member.organisation_id: Role(member.role)
        for member in tx.scalars(select(MemberRow).where(MemberRow.user_id == user.id))
    }
    return Caller(user.id, user.email, user.name, roles, at), row.csrf


@use_case
def caller_of_token(tx: Session, *, token: str, at: datetime) -> Caller:
    """The caller of a program's token: its user, with the token's role in the token's organisation only.

    Raises:
        NotSignedIn: no such token, expired, withdrawn, or its user is no longer a member.
    """
    row = tx.scalars(select(TokenRow).where(TokenRow.hash == digest(token))).first()
    member = tx.get(MemberRow, (row.user_id, row.organisation_id)) if row else None
    if row is None or row.revoked_at is not None or row.expires_at <= at or member is None:
        raise NotSignedIn("the token is not known, expired or withdrawn; make a new one")
    user = tx.get_one(UserRow, row.user_id)
    return Caller(user.id, user.email, user.name, {row.organisation_id: Role(row.role)}, at)
