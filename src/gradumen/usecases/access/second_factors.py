"""A user's second factor: set up in two steps, given up with a code, taken away by those who answer for the user."""

import io
from datetime import datetime
from uuid import UUID

import segno
from pyotp import TOTP, random_base32

from gradumen.core.errors import Conflict, Invalid, NotSignedIn
from gradumen.core.messages import Kind, moment_words
from gradumen.store.access import second_factors as store
from gradumen.store.access.members import memberships_of
from gradumen.store.access.sessions import end_sessions
from gradumen.store.access.tables import SecondFactorRow, UserRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.access.codes import WRONG_CODE, is_code, make_recovery_codes, take_code
from gradumen.usecases.access.pace import Pace, count_attempt, forgive
from gradumen.usecases.access.sessions import digest, is_password
from gradumen.usecases.access.users import home_of, require_say
from gradumen.usecases.audit_entries import record
from gradumen.usecases.messages import Reader, tell
from gradumen.usecases.scope import Caller, require_password
from gradumen.wire.access.second_factors import RecoveryCodesBody, SecondFactorBody, SecondFactorSecretBody

ISSUER = "Gradumen"
"""What an app for codes calls the service."""
GUESSES = 5


@use_case
def read_second_factor(tx: Session, caller: Caller) -> SecondFactorBody:
    """The caller's second factor."""
    row = tx.get(SecondFactorRow, caller.user_id)
    since = row.since if row else None
    return SecondFactorBody(
        on=since is not None, since=since, recovery_codes=store.count_recovery_codes(tx, caller.user_id)
    )


def begin_second_factor(uow: UnitOfWork, caller: Caller, *, password: str, longest: int) -> SecondFactorSecretBody:
    """Make a secret for an app; it holds once a first code of it was right. Beginning again makes another one.

    Raises:
        NeedsPassword: a program asks.
        NotSignedIn: the password is another one.
        SlowDown: it was guessed at too often; it is not looked at.
        Conflict: the caller has a second factor already.
    """
    require_password(caller)
    pace = Pace(f"password of {caller.user_id}", GUESSES, longest)
    count_attempt(uow, [pace], at=caller.at)
    return _begin(uow, caller, pace, password)


@use_case
def _begin(tx: Session, caller: Caller, pace: Pace, password: str) -> SecondFactorSecretBody:
    user = tx.get_one(UserRow, caller.user_id, with_for_update=True)
    if not is_password(user.password_hash, password):
        raise NotSignedIn("the password is another one; nothing was changed")
    forgive(tx, [pace])
    row = store.lock_second_factor(tx, user.id)
    if row is not None and row.since is not None:
        raise Conflict("you have a second factor already; give it up first, then set up another")
    secret = random_base32()
    sealed = seals_of(tx).seal(secret)
    tx.merge(SecondFactorRow(user_id=user.id, sealed=sealed, made_at=caller.at, since=None, last_step=0))
    uri = TOTP(secret).provisioning_uri(name=user.email, issuer_name=ISSUER)
    picture = io.BytesIO()
    segno.make(uri, error="m").save(picture, kind="svg", scale=4, border=2, xmldecl=False, svgns=True)
    return SecondFactorSecretBody(secret=secret, uri=uri, picture=picture.getvalue().decode())


def confirm_second_factor(
    uow: UnitOfWork, caller: Caller, *, code: str, session: str, longest: int
) -> RecoveryCodesBody:
    """End the set-up with a first code; other sessions of the caller end. Gives its recovery codes.

    Args:
        session: the secret of the session that asks.

    Raises:
        NeedsPassword: a program asks.
        Conflict: none was begun, or one holds already.
        Invalid: the code is wrong.
        SlowDown: codes were guessed at too often.
    """
    require_password(caller)
    pace = _count(uow, caller, longest)
    return _confirm(uow, caller, pace, code, session)


@use_case
def _confirm(tx: Session, caller: Caller, pace: Pace, code: str, session: str) -> RecoveryCodesBody:
    row = store.lock_second_factor(tx, caller.user_id)
    if row is None or row.since is not None:
        raise Conflict("begin with your password; then confirm with a code")
    if not is_code(tx, row, code, caller.at):
        raise Invalid("the code is wrong; send the one that the app shows now", field="code")
    forgive(tx, [pace])
    row.since = caller.at
    end_sessions(tx, caller.user_id, but=digest(session))
    codes = make_recovery_codes(tx, caller.user_id)
    _note(tx, caller, tx.get_one(UserRow, caller.user_id), "set up")
    return RecoveryCodesBody(codes=codes)


def renew_recovery_codes(uow: UnitOfWork, caller: Caller, *, code: str, longest: int) -> RecoveryCodesBody:
    """Make new recovery codes in the place of those that are there.

    Raises:
        NeedsPassword: a program asks.
        Invalid: the code is wrong.
        SlowDown: codes were guessed at too often.
    """
    _check_code(uow, caller, code, longest)
    return _renew(uow, caller)


@use_case
def _renew(tx: Session, caller: Caller) -> RecoveryCodesBody:
    codes = make_recovery_codes(tx, caller.user_id)
    _note(tx, caller, tx.get_one(UserRow, caller.user_id), "given new recovery codes", told=False)
    return RecoveryCodesBody(codes=codes)


def drop_second_factor(uow: UnitOfWork, caller: Caller, *, code: str, longest: int) -> None:
    """Give the caller's second factor up; where one is demanded, its rights rest until it has another.

    Raises:
        NeedsPassword: a program asks.
        Invalid: the code is wrong, or there is no second factor.
        SlowDown: codes were guessed at too often.
    """
    _check_code(uow, caller, code, longest)
    _drop(uow, caller)


@use_case
def _drop(tx: Session, caller: Caller) -> None:
    store.drop_second_factor(tx, caller.user_id)
    _note(tx, caller, tx.get_one(UserRow, caller.user_id), "given up")


@use_case
def take_second_factor(tx: Session, caller: Caller, *, organisation: str, user_id: UUID) -> None:
    """Take a member's second factor away, who lost it and its recovery codes; asking again changes nothing.

    Raises:
        Forbidden: the caller does not manage every organisation that the user is a member of, or is a program.
        NotFound: no such member.
    """
    require_say(tx, caller, organisation, user_id)
    if store.lock_second_factor(tx, user_id) is not None:
        store.drop_second_factor(tx, user_id)
        _note(tx, caller, tx.get_one(UserRow, user_id), "taken away by an administrator")


def _count(uow: UnitOfWork, caller: Caller, longest: int) -> Pace:
    pace = Pace(f"code of {caller.user_id}", GUESSES, longest)
    count_attempt(uow, [pace], at=caller.at)
    return pace


def _check_code(uow: UnitOfWork, caller: Caller, code: str, longest: int) -> None:
    require_password(caller)
    pace = _count(uow, caller, longest)
    if not take_code(uow, caller.user_id, code, at=caller.at):
        raise Invalid(WRONG_CODE, field="code")
    _forgive(uow, pace)


@use_case
def _forgive(tx: Session, pace: Pace) -> None:
    forgive(tx, [pace])


def _note(tx: Session, caller: Caller, user: UserRow, change: str, *, told: bool = True) -> None:
    """On record wherever the user is a member, and told to the user."""
    for organisation in memberships_of(tx, user.id):
        record(tx, caller, f"second factor {change}"[:40], organisation, user.email)
    home = home_of(tx, user.id)
    if told and home is not None:
        _tell(
            tx, user, home.id, {"organisation": home.name, "change": change, "at": moment_words(caller.at)}, caller.at
        )


def _tell(tx: Session, user: UserRow, home: UUID, facts: dict[str, str], at: datetime) -> None:
    reader = Reader(user.email, user.name, user.id)
    tell(tx, Kind.SECOND_FACTOR, reader, facts, at=at, organisation=home, sender=home, path="/account")
