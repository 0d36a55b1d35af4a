"""Queries of programs that are planned with an invitation."""

from collections.abc import Collection
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.store.access.tables import InvitationRow, MemberRow, ProgramRow, UserRow
from gradumen.store.organisations.tables import OrganisationRow


def programs_to_collect(
    tx: Session, user: UUID, *, only: UUID | None = None
) -> list[tuple[ProgramRow, OrganisationRow]]:
    """Those of a user's accepted invitations to what it is still a member of, by name; or the one of an id, locked."""
    query = (
        select(ProgramRow, OrganisationRow)
        .join(InvitationRow, InvitationRow.id == ProgramRow.invitation_id)
        .join(UserRow, UserRow.email == InvitationRow.email)
        .join(OrganisationRow, OrganisationRow.id == InvitationRow.organisation_id)
        .join(MemberRow, (MemberRow.user_id == UserRow.id) & (MemberRow.organisation_id == OrganisationRow.id))
        .where(UserRow.id == user, InvitationRow.accepted_at.is_not(None), MemberRow.disabled_at.is_(None))
        .order_by(ProgramRow.name, ProgramRow.id)
    )
    if only is None:
        query = query.where(ProgramRow.token_id.is_(None), ProgramRow.dropped_at.is_(None))
    else:
        query = query.where(ProgramRow.id == only).with_for_update(of=ProgramRow)
    return [(program, organisation) for program, organisation in tx.execute(query)]


def programs_of(tx: Session, invitations: Collection[UUID]) -> dict[UUID, list[ProgramRow]]:
    """What is planned with invitations, by invitation."""
    found: dict[UUID, list[ProgramRow]] = {}
    for row in tx.scalars(
        select(ProgramRow).where(ProgramRow.invitation_id.in_(invitations)).order_by(ProgramRow.name, ProgramRow.id)
    ):
        found.setdefault(row.invitation_id, []).append(row)
    return found
