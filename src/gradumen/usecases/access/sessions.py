"""Sign-in with password, sessions of the console, and who a session or token belongs to."""

import hashlib
import secrets
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from gradumen.core.errors import NotFound, NotSignedIn, SecondFactorNeeded, SessionChanged
from gradumen.core.organisations.states import KEPT, State
from gradumen.core.permissions import Role, least
from gradumen.core.retentions import DEVICES
from gradumen.store.access import sessions
from gradumen.store.access.members import find_user, memberships_of, roles_of
from gradumen.store.access.tables import DeviceRow, MemberRow, SessionRow, UserRow
from gradumen.store.organisations.tables import OrganisationRow, load_tree
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.access.codes import WRONG_CODE, has_second_factor, take_code
from gradumen.usecases.access.pace import Pace, count_attempt, forgive, network_of, take_back
from gradumen.usecases.audit_entries import record_sign_in
from gradumen.usecases.scope import Caller, business_now
from gradumen.wire.access.sessions import OpenSessionBody

HASHER = PasswordHasher(time_cost=2, memory_cost=19 * 1024, parallelism=1)
"""Argon2id with the parameters of RFC 9106's low-memory advice, as commonly recommended for web sign-in."""
_DUMMY = HASHER.hash(secrets.token_hex(16))
_DEVICE_LENGTH = 43
_SHARED = "sign-in from "
WRONG = "the e-mail address or the password is wrong"


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A new session: the secrets of its cookie and of the device's, and the value that the console sends back."""

    secret: str
    csrf: str
    expires_at: datetime
    device: str


def digest(secret: str) -> str:
    """What is stored of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Place:
    """Where somebody signs in: address, what the browser calls itself, and the secret of its device's cookie."""

    address: str
    agent: str
    device: str


def sign_in(
    uow: UnitOfWork,
    *,
    email: str,
    password: str,
    code: str | None,
    place: Place,
    at: datetime,
    free: int,
    longest: int,
    hours: int,
) -> SignedIn:
    """Start a session.

    An attempt is counted before it is checked. A device that the user signed in from before has a pace of its own,
    so that a stranger who guesses cannot keep the owner of an account out.

    Raises:
        SlowDown: too many attempts in a row failed; the password is not looked at.
        NotSignedIn: wrong address or password, not told apart; a wrong code; or all that the user is a member of is
            closed.
        SecondFactorNeeded: the password is right, and a code is asked for.
    """
    known = _password_hash(uow, email)
    paces = _paces(uow, known[0] if known else None, email=email, place=place, at=at, free=free, longest=longest)
    count_attempt(uow, paces, at=at)
    right = is_password(known[1] if known else _DUMMY, password)
    if known is None or not right:
        _note_failure(uow, known[0] if known else None, email=email, address=place.address, at=at)
        raise NotSignedIn(WRONG)
    if has_second_factor(uow, known[0]):
        guesses = Pace(f"code of {known[0]} {paces[0].subject if len(paces) == 1 else ''}", free, longest)
        if code is None:
            raise SecondFactorNeeded
        count_attempt(uow, [guesses], at=at)
        if not take_code(uow, known[0], code, at=at):
            _note_failure(uow, known[0], email=email, address=place.address, at=at)
            raise NotSignedIn(WRONG_CODE)
        paces.append(guesses)
    return _start(uow, known[0], paces, email=email, place=place, at=at, hours=hours)


@use_case
def _paces(
    tx: Session, user: UUID | None, *, email: str, place: Place, at: datetime, free: int, longest: int
) -> list[Pace]:
    """The device's own where it is known; else that of account and address together, of each, the wider the slower.

    Where many addresses guess at one account, others of it wait at most a minute.
    """
    device = digest(place.device)
    row = tx.get(DeviceRow, (device, user)) if user and place.device else None
    if row is not None and row.used_at > at - DEVICES:
        return [Pace(f"device {device}", free, longest)]
    account, network = email.strip().lower()[:90], network_of(place.address)
    return [
        Pace(f"sign-in {account} from {network}", free, longest),
        Pace(f"sign-in {account}", free * 10, 60),
        Pace(f"{_SHARED}{network}", free * 10, longest),
    ]


def is_password(stored: str, password: str) -> bool:
    """Whether a password is the one that was stored."""
    try:
        return HASHER.verify(stored, password)
    except (VerificationError, InvalidHashError):
        return False


@use_case
def _password_hash(tx: Session, email: str) -> tuple[UUID, str] | None:
    row = find_user(tx, email.strip())
    return (row.id, row.password_hash) if row else None


@use_case
def _note_failure(tx: Session, user: UUID | None, *, email: str, address: str, at: datetime) -> None:
    concerned: list[UUID | None] = [*memberships_of(tx, user)] if user else []
    for organisation in concerned or [None]:
        record_sign_in(tx, "sign-in failed", organisation, email.strip(), at=at, user=None, address=address)


@use_case
def _start(
    tx: Session, user_id: UUID, paces: list[Pace], *, email: str, place: Place, at: datetime, hours: int
) -> SignedIn:
    memberships = memberships_of(tx, user_id)
    _check_open(tx, memberships, at)
    forgive(tx, [pace for pace in paces if not pace.subject.startswith(_SHARED)])
    for pace in paces:
        if pace.subject.startswith(_SHARED):
            take_back(tx, pace)
    sessions.drop_old(tx, sessions_over=at, devices_unused=at - DEVICES)
    signed = SignedIn(
        secrets.token_urlsafe(32),
        secrets.token_urlsafe(24),
        at + timedelta(hours=hours),
        place.device if len(place.device) == _DEVICE_LENGTH else secrets.token_urlsafe(32),
    )
    tx.merge(DeviceRow(id=digest(signed.device), user_id=user_id, used_at=at))
    tx.add(
        SessionRow(
            id=digest(signed.secret),
            user_id=user_id,
            csrf=signed.csrf,
            started_at=at,
            address=place.address[:60],
            agent=place.agent[:200],
            expires_at=signed.expires_at,
        )
    )
    for organisation in memberships:
        record_sign_in(tx, "signed in", organisation, email.strip(), at=at, user=user_id, address=place.address)
    return signed


def _check_open(tx: Session, memberships: Collection[UUID], at: datetime) -> None:
    """Check that somebody whose password was right has anywhere to go: what is closed or proposed lets nobody in."""
    tree = load_tree(tx, business_now(tx, at))
    shut = [each for each in memberships if not KEPT[tree.state(each)]]
    if shut and len(shut) == len(memberships):
        name = tx.get_one(OrganisationRow, shut[0]).name
        closed = tree.state(shut[0]) is State.CLOSED
        raise NotSignedIn(f"{name} is closed" if closed else f"{name} is not active yet; ask the one who invited you")


@use_case
def list_sessions(tx: Session, caller: Caller, *, secret: str | None) -> list[OpenSessionBody]:
    """The caller's sessions, the newest first.

    Args:
        secret: that of the session that asks.
    """
    own = digest(secret) if secret else ""
    return [
        OpenSessionBody(
            id=row.id,
            started_at=row.started_at,
            expires_at=row.expires_at,
            address=row.address,
            agent=row.agent,
            current=row.id == own,
        )
        for row in sessions.sessions_of(tx, caller.user_id, caller.at)
    ]


@use_case
def end_session(tx: Session, caller: Caller, *, session: str) -> None:
    """End one of the caller's sessions; asking again changes nothing.

    Raises:
        NotFound: a program asks: sessions are of people.
    """
    if caller.token_id is not None:
        raise NotFound("session", session[:8])
    sessions.end_session(tx, session[:64], caller.user_id)


@use_case
def sign_out(tx: Session, *, secret: str) -> None:
    """End a session; asking again changes nothing."""
    sessions.end_session(tx, digest(secret))


@use_case
def caller_of_session(tx: Session, *, secret: str, csrf: str | None, unsafe: bool, at: datetime) -> tuple[Caller, str]:
    """The caller of a console session, and its CSRF value.

    Raises:
        NotSignedIn: no such session, or it is over.
        SessionChanged: an unsafe call without the session's CSRF value.
    """
    found = sessions.find_session(tx, digest(secret))
    if found is None or found.expires_at <= at:
        raise NotSignedIn("the session is over; sign in again")
    if unsafe and not secrets.compare_digest(found.csrf.encode(), (csrf or "").encode()):
        raise SessionChanged
    return Caller(found.user, found.email, found.name, found.roles, at, proved=found.proved), found.csrf


def _caller(tx: Session, user_id: UUID, at: datetime) -> Caller:
    user = tx.get_one(UserRow, user_id)
    return Caller(user.id, user.email, user.name, roles_of(tx, user.id), at)


@use_case
def caller_of_user(tx: Session, *, user: UUID, at: datetime) -> Caller:
    """A user who asked for a task, with the roles of this moment."""
    return _caller(tx, user, at)


@use_case
def caller_of_token(tx: Session, *, token: str, at: datetime) -> Caller:
    """The caller of a program's token: its user, in the token's organisation only.

    It has the token's role there, or the user's own where that is less by now.

    Raises:
        NotSignedIn: no such token, expired, withdrawn, or its user is no longer a member, or one at rest.
    """
    row = sessions.find_token(tx, digest(token))
    member = tx.get(MemberRow, (row.user_id, row.organisation_id)) if row else None
    over = row is None or row.revoked_at is not None or row.expires_at <= at
    if row is None or over or member is None or member.disabled_at is not None:
        raise NotSignedIn("the token is not known, expired or withdrawn; make a new one")
    user = tx.get_one(UserRow, row.user_id)
    role = least(Role(row.role), Role(member.role))
    return Caller(user.id, user.email, user.name, {row.organisation_id: role}, at, row.id)
