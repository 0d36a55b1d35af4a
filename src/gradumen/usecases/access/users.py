"""Users and their passwords."""

import re
import secrets
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from zxcvbn import zxcvbn

from gradumen.core.errors import Forbidden, Invalid, NotFound, NotSignedIn
from gradumen.core.messages import Kind, moment_words
from gradumen.core.names import name_of
from gradumen.core.permissions import Right, Role
from gradumen.store.access.members import drop_password_resets, find_user, memberships_of
from gradumen.store.access.sessions import end_sessions
from gradumen.store.access.tables import MemberRow, PasswordResetRow, UserRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.access.pace import Pace, count_attempt, forgive, network_of
from gradumen.usecases.access.sessions import HASHER, digest, is_password
from gradumen.usecases.audit_entries import record, record_sign_in
from gradumen.usecases.messages import Reader, tell
from gradumen.usecases.scope import Caller, get_organisation, load_scope, require_password

_EMAIL = re.compile(r"[A-Za-z0-9!#$%&*+/=?^_`{|}~.-]{1,64}@[A-Za-z0-9.-]{1,120}\.[A-Za-z]{2,}")
SHORTEST_PASSWORD, LONGEST_PASSWORD, LEAST_SCORE = 12, 200, 3
_LOOKED_AT = 72
"""Characters that are looked at for how soon they are guessed; more take long and change little."""
GUESSES = 5
"""Of the current password, before waiting times begin."""
RESET_FOR = timedelta(hours=24)
ASKED_FOR = timedelta(hours=1)
"""How long a link lasts that somebody asked for by itself."""
ASKED_FREE = 3
"""Links that may be asked for in a row, before waiting times begin."""


def email_of(raw: str) -> str:
    """Read an e-mail address.

    Raises:
        Invalid: not one.
    """
    if not _EMAIL.fullmatch(raw.strip()) or ".." in raw:
        raise Invalid(f"e-mail address '{raw[:80]}' is not one; write it like mara@tarnwick.example", field="email")
    return raw.strip()


def check_password(password: str, *own: str) -> str:
    """Check a new password.

    Args:
        own: words of its user, as name and address, which others try first.

    Raises:
        Invalid: too short, too long, or one that is guessed soon (`zxcvbn`, a score below 3 of 4).
    """
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise Invalid(
            f"a password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters; this one has {len(password)}",
            field="password",
        )
    found = zxcvbn(password[:_LOOKED_AT], user_inputs=list(own))
    if found["score"] < LEAST_SCORE:
        why = found["feedback"]["warning"].rstrip(".")
        raise Invalid(
            f"this password is guessed soon{f' ({why})' if why else ''}; take several words that are strangers",
            field="password",
        )
    return password


def add_user(tx: Session, *, email: str, name: str, password: str) -> UserRow:
    """Add a user inside an open transaction."""
    row = UserRow(
        id=uuid4(),
        email=email_of(email),
        name=name_of(name, field="name"),
        password_hash=HASHER.hash(check_password(password, email, name)),
    )
    tx.add(row)
    tx.flush()
    return row


def change_password(uow: UnitOfWork, caller: Caller, *, session: str, current: str, new: str, longest: int) -> None:
    """Change the caller's own password; its other sessions end, and other devices are no longer known.

    Args:
        session: the secret of the session that asks.

    Raises:
        NotSignedIn: the current password is another.
        SlowDown: it was guessed at too often; it is not looked at.
        Invalid: the new one is too short, too long or guessed soon.
    """
    require_password(caller)
    pace = Pace(f"password of {caller.user_id}", GUESSES, longest)
    count_attempt(uow, [pace], at=caller.at)
    _change_password(uow, caller, pace, session=session, current=current, new=new)


@use_case
def _change_password(tx: Session, caller: Caller, pace: Pace, *, session: str, current: str, new: str) -> None:
    user = tx.get_one(UserRow, caller.user_id, with_for_update=True)
    if not is_password(user.password_hash, current):
        raise NotSignedIn("the current password is another one; nothing was changed")
    forgive(tx, [pace])
    user.password_hash = HASHER.hash(check_password(new, user.email, user.name))
    end_sessions(tx, user.id, but=digest(session))
    for organisation in memberships_of(tx, user.id):
        record(tx, caller, "password changed", organisation, user.email)
    _tell_changed(tx, user, caller.at)


def require_say(tx: Session, caller: Caller, organisation: str, user_id: UUID) -> OrganisationRow:
    """The organisation of a member whose way to sign in the caller may change.

    That changes the user everywhere, so it takes the say of all its organisations.

    Raises:
        Forbidden: the caller does not manage every organisation that the user is a member of, or is a program.
        NotFound: no such member.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, row)
    require_password(caller)
    if tx.get(MemberRow, (user_id, row.id)) is None:
        raise NotFound("member", user_id)
    if any(scope.caller.roles.get(each) != Role.ADMINISTRATOR for each in memberships_of(tx, user_id)):
        raise Forbidden(right=Right.MANAGE_MEMBERS, organisation="every organisation that this user is a member of")
    return row


@use_case
def make_password_reset(tx: Session, caller: Caller, *, organisation: str, user_id: UUID) -> str:
    """A link's secret by which a member sets a new password, once, within a day.

    Raises:
        Forbidden: the caller does not manage every organisation that the user is a member of, or is a program.
        NotFound: no such member.
    """
    row = require_say(tx, caller, organisation, user_id)
    secret = secrets.token_urlsafe(32)
    drop_password_resets(tx, user_id)
    tx.add(
        PasswordResetRow(
            hash=digest(secret), user_id=user_id, made_by=caller.user_id, expires_at=caller.at + RESET_FOR, used_at=None
        )
    )
    user = tx.get_one(UserRow, user_id)
    record(tx, caller, "password reset made", row.id, user.email)
    _tell_reset(tx, user, row, secret, caller.at, caller.at + RESET_FOR)
    return secret


def ask_password_reset(uow: UnitOfWork, *, email: str, at: datetime, address: str, longest: int) -> None:
    """Send a user of that address a link by which it sets a new password; whether there is one is not told.

    Raises:
        SlowDown: it was asked for too often, for that address or from that network.
    """
    account, network = email.strip().lower()[:90], network_of(address)
    paces = [Pace(f"reset {account}", ASKED_FREE, longest), Pace(f"reset from {network}", ASKED_FREE * 10, longest)]
    count_attempt(uow, paces, at=at)
    _ask_password_reset(uow, email=email, at=at, address=address)


@use_case
def _ask_password_reset(tx: Session, *, email: str, at: datetime, address: str) -> None:
    """Links that an administrator made stay good: who only knows an address takes nothing away."""
    user = find_user(tx, email.strip())
    home = home_of(tx, user.id) if user else None
    if user is None or home is None:
        return
    secret = secrets.token_urlsafe(32)
    until = at + ASKED_FOR
    tx.add(PasswordResetRow(hash=digest(secret), user_id=user.id, made_by=user.id, expires_at=until, used_at=None))
    record_sign_in(tx, "password reset asked", home.id, user.email, at=at, user=None, address=address)
    _tell_reset(tx, user, home, secret, at, until)


def home_of(tx: Session, user: UUID) -> OrganisationRow | None:
    """The organisation whose name stands on what a user is told of its own sign-in: its first by slug."""
    rows = organisations_by_id(tx, memberships_of(tx, user)).values()
    return min(rows, key=lambda row: row.slug, default=None)


def _tell_reset(tx: Session, user: UserRow, home: OrganisationRow, secret: str, at: datetime, until: datetime) -> None:
    facts = {"organisation": home.name, "until": moment_words(until)}
    # It is no notice: its link is good once, and only in the mail.
    reader = Reader(user.email, user.name)
    tell(
        tx,
        Kind.PASSWORD_RESET,
        reader,
        facts,
        at=at,
        organisation=home.id,
        sender=home.id,
        path="/reset#",
        secret=secret,
    )


def _tell_changed(tx: Session, user: UserRow, at: datetime) -> None:
    home = home_of(tx, user.id)
    if home is not None:
        facts = {"organisation": home.name, "at": moment_words(at)}
        reader = Reader(user.email, user.name, user.id)
        tell(tx, Kind.PASSWORD_CHANGED, reader, facts, at=at, organisation=home.id, sender=home.id, path="/account")


@use_case
def reset_password(tx: Session, *, secret: str, password: str, at: datetime, address: str) -> str:
    """Set a new password by a link; all sessions of the user end. Gives the user's address.

    Raises:
        NotFound: no such link, or it is used or over.
        Invalid: the password is too short or too long.
    """
    row = tx.get(PasswordResetRow, digest(secret), with_for_update=True)
    if row is None or row.used_at is not None or row.expires_at <= at:
        raise NotFound("password reset", secret[:6] + "…")
    user = tx.get_one(UserRow, row.user_id)
    user.password_hash = HASHER.hash(check_password(password, user.email, user.name))
    row.used_at = at
    end_sessions(tx, user.id)
    for organisation in memberships_of(tx, user.id):
        record_sign_in(tx, "password reset", organisation, user.email, at=at, user=user.id, address=address)
    _tell_changed(tx, user, at)
    return user.email
