"""Queries of users, memberships, invitations and links to set a password."""

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

from sqlalchemy import ColumnElement, delete, func, select, update
from sqlalchemy.orm import Session

from gradumen.core.permissions import Role
from gradumen.store.access.tables import InvitationRow, MemberRow, PasswordResetRow, UserRow


def find_user(tx: Session, email: str) -> UserRow | None:
    """The user of an address."""
    return tx.scalars(select(UserRow).where(UserRow.email == email)).first()


def emails_of(tx: Session, users: Collection[UUID]) -> dict[UUID, str]:
    """Addresses of users."""
    return {row.id: row.email for row in tx.scalars(select(UserRow).where(UserRow.id.in_(users)))}


def names_of(tx: Session, users: Collection[UUID]) -> dict[UUID, str]:
    """Names of users."""
    return {row.id: row.name for row in tx.scalars(select(UserRow).where(UserRow.id.in_(users)))}


def member_ids(tx: Session, organisation: UUID) -> set[UUID]:
    """The users that are members of an organisation, resting ones too."""
    return set(tx.scalars(select(MemberRow.user_id).where(MemberRow.organisation_id == organisation)))


def memberships_of(tx: Session, user: UUID) -> list[UUID]:
    """The organisations that a user is a member of, resting memberships too."""
    return list(tx.scalars(select(MemberRow.organisation_id).where(MemberRow.user_id == user)))


def roles_of(tx: Session, user: UUID) -> dict[UUID, Role]:
    """The roles of a user, by organisation; what rests gives none."""
    rows = tx.scalars(select(MemberRow).where(MemberRow.user_id == user, MemberRow.disabled_at.is_(None)))
    return {row.organisation_id: Role(row.role) for row in rows}


def services_of(tx: Session, user: UUID) -> dict[UUID, list[str]]:
    """The services to which a user's ordering is held, by organisation; where all that its role may, nothing."""
    rows = tx.scalars(select(MemberRow).where(MemberRow.user_id == user, MemberRow.services.is_not(None)))
    return {row.organisation_id: row.services or [] for row in rows}


def members_of(tx: Session, organisation: UUID) -> list[tuple[UserRow, MemberRow]]:
    """The members of an organisation, by address."""
    rows = tx.execute(
        select(UserRow, MemberRow)
        .join(MemberRow, MemberRow.user_id == UserRow.id)
        .where(MemberRow.organisation_id == organisation)
        .order_by(UserRow.email)
    )
    return [(user, member) for user, member in rows]


def is_member(tx: Session, email: str, organisations: Collection[UUID]) -> bool:
    """Whether an address is that of a member of any of these."""
    query = select(MemberRow.user_id).join(UserRow, UserRow.id == MemberRow.user_id)
    query = query.where(MemberRow.organisation_id.in_(organisations), UserRow.email == email)
    return tx.scalars(query).first() is not None


def has_members(tx: Session, organisation: UUID) -> bool:
    """Whether an organisation has members."""
    return bool(tx.scalar(select(func.count()).where(MemberRow.organisation_id == organisation)))


def count_other_administrators(tx: Session, organisation: UUID, user: UUID) -> int:
    """How many administrators besides a user can act in an organisation."""
    query = select(func.count()).where(
        MemberRow.organisation_id == organisation,
        MemberRow.user_id != user,
        MemberRow.role == Role.ADMINISTRATOR,
        MemberRow.disabled_at.is_(None),
    )
    return int(tx.scalar(query) or 0)


def is_open() -> ColumnElement[bool]:
    """Whether an invitation is neither accepted nor withdrawn; it may be over."""
    return InvitationRow.accepted_at.is_(None) & InvitationRow.withdrawn_at.is_(None)


def withdraw_invitations(tx: Session, organisation: UUID, email: str, at: datetime) -> None:
    """Withdraw what is open to an address."""
    tx.execute(
        update(InvitationRow)
        .where(InvitationRow.organisation_id == organisation, InvitationRow.email == email, is_open())
        .values(withdrawn_at=at)
    )


def open_invitations(tx: Session, organisation: UUID, at: datetime) -> list[InvitationRow]:
    """The invitations to an organisation that can be accepted, by address."""
    query = select(InvitationRow).where(
        InvitationRow.organisation_id == organisation, InvitationRow.expires_at > at, is_open()
    )
    return list(tx.scalars(query.order_by(InvitationRow.email)))


def lock_invitation(tx: Session, digest: str) -> InvitationRow | None:
    """The invitation of a link's digest, for a decision."""
    return tx.scalars(select(InvitationRow).where(InvitationRow.hash == digest).with_for_update()).first()


def drop_password_resets(tx: Session, user: UUID) -> None:
    """Links of a user that were not used yet are no longer good."""
    tx.execute(delete(PasswordResetRow).where(PasswordResetRow.user_id == user, PasswordResetRow.used_at.is_(None)))
