"""Codes of second factors: by time, as RFC 6238 says, or a recovery code, each taken once."""

import hashlib
import secrets
from datetime import datetime
from uuid import UUID

from pyotp import TOTP

from gradumen.store.access import second_factors as store
from gradumen.store.access.tables import SecondFactorRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, use_case

STEP = 30
"""Seconds of a step of time (RFC 6238, 5.2)."""
DRIFT = 1
"""How many steps a clock may be off."""
RECOVERY_CODES = 10
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
"""None of those that are taken for another."""
WRONG_CODE = "the code is wrong or was used; send the one that is shown now, or a recovery code"


@use_case
def has_second_factor(tx: Session, user: UUID) -> bool:
    """Whether a user has a second factor that is set up to its end."""
    return bool(store.users_with(tx, [user]))


@use_case
def take_code(tx: Session, user: UUID, code: str, *, at: datetime) -> bool:
    """Take a code of a user's second factor, or a recovery code; what was taken is good no more."""
    row = store.lock_second_factor(tx, user)
    return row is not None and (is_code(tx, row, code, at) or store.use_recovery_code(tx, user, hash_of(user, code)))


def is_code(tx: Session, row: SecondFactorRow, code: str, at: datetime) -> bool:
    """Whether a code is that of now or of a step beside, and none that was taken; it is taken then."""
    totp, now = TOTP(seals_of(tx).open(row.sealed)), int(at.timestamp()) // STEP
    given = "".join(code.split())
    for step in range(now - DRIFT, now + DRIFT + 1):
        if step > row.last_step and given.isascii() and secrets.compare_digest(totp.generate_otp(step), given):
            row.last_step = step
            return True
    return False


def make_recovery_codes(tx: Session, user: UUID) -> list[str]:
    """New recovery codes in the place of those that are there; only what they hash to is kept."""
    codes = [
        "-".join("".join(secrets.choice(_LETTERS) for _ in range(5)) for _ in range(2)) for _ in range(RECOVERY_CODES)
    ]
    store.set_recovery_codes(tx, user, [hash_of(user, each) for each in codes])
    return codes


def hash_of(user: UUID, code: str) -> str:
    """What is kept of a recovery code: with 49 bits of chance, and a pace for guesses, a plain hash will do."""
    plain = "".join(each for each in code.lower() if each.isalnum())
    return hashlib.sha256(f"{user} {plain}".encode()).hexdigest()
