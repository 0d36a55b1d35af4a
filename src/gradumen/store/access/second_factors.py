"""Queries of second factors and recovery codes."""

from collections.abc import Collection, Sequence
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from gradumen.store.access.tables import RecoveryCodeRow, SecondFactorRow


def lock_second_factor(tx: Session, user: UUID) -> SecondFactorRow | None:
    """A user's second factor, for a decision."""
    return tx.get(SecondFactorRow, user, with_for_update=True, populate_existing=True)


def all_second_factors(tx: Session) -> Sequence[SecondFactorRow]:
    """Every second factor, for sealing it anew."""
    return tx.scalars(select(SecondFactorRow).with_for_update()).all()


def users_with(tx: Session, users: Collection[UUID]) -> set[UUID]:
    """Those of some users that have a second factor."""
    row = SecondFactorRow
    return set(tx.scalars(select(row.user_id).where(row.user_id.in_(users), row.since.is_not(None))))


def drop_second_factor(tx: Session, user: UUID) -> None:
    """Take a user's second factor away, with what stands in for it."""
    tx.execute(delete(SecondFactorRow).where(SecondFactorRow.user_id == user))
    tx.execute(delete(RecoveryCodeRow).where(RecoveryCodeRow.user_id == user))


def set_recovery_codes(tx: Session, user: UUID, hashes: Collection[str]) -> None:
    """Put these codes in the place of those that are there."""
    tx.execute(delete(RecoveryCodeRow).where(RecoveryCodeRow.user_id == user))
    tx.add_all(RecoveryCodeRow(hash=each, user_id=user) for each in hashes)


def use_recovery_code(tx: Session, user: UUID, hashed: str) -> bool:
    """Use a code up; False where the user has none like it."""
    row = tx.get(RecoveryCodeRow, hashed, with_for_update=True)
    if row is None or row.user_id != user:
        return False
    tx.delete(row)
    return True


def count_recovery_codes(tx: Session, user: UUID) -> int:
    """How many codes of a user are left."""
    return int(tx.scalar(select(func.count()).where(RecoveryCodeRow.user_id == user)) or 0)
