"""Routes of invitations."""

from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID

from fastapi import Depends, Request, status

from gradumen.api.calls import CallerHere, Uow, address_of, get_caller, session_secret
from gradumen.api.routers import Router
from gradumen.core.errors import NotSignedIn
from gradumen.usecases.access import invitations
from gradumen.usecases.scope import Caller
from gradumen.wire.access.members import (
    InvitationAccept,
    InvitationBody,
    InvitationCreate,
    JoinedBody,
)
from gradumen.wire.values import Page

router = Router()


def caller_if_any(request: Request, uow: Uow) -> Caller | None:
    """The caller, or None where nobody is signed in (any more)."""
    if not request.headers.get("authorization") and session_secret(request) is None:
        return None
    try:
        return get_caller(request, uow)
    except NotSignedIn:
        return None


@router.get("/organisations/{organisation}/invitations", tags=["invitations"])
def list_invitations(organisation: str, uow: Uow, caller: CallerHere) -> Page[InvitationBody]:
    """The open invitations to an organisation."""
    found = invitations.list_invitations(uow, caller, organisation=organisation)
    return Page(items=found)


@router.post("/organisations/{organisation}/invitations", status_code=status.HTTP_201_CREATED, tags=["invitations"])
def invite_member(organisation: str, body: InvitationCreate, uow: Uow, caller: CallerHere) -> InvitationBody:
    """Invite one address. The link's secret is in this answer only, so this takes no Idempotency-Key."""
    return invitations.invite_member(
        uow, caller, organisation=organisation, email=body.email, role=body.role, programs=body.programs
    )


@router.delete("/invitations/{invitation_id}", status_code=status.HTTP_204_NO_CONTENT, tags=["invitations"])
def withdraw_invitation(invitation_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Take an invitation back; safe to repeat."""
    invitations.withdraw_invitation(uow, caller, invitation_id=invitation_id)


@router.post("/invitations/accept", tags=["invitations"])
def accept_invitation(
    body: InvitationAccept, request: Request, uow: Uow, caller: Annotated[Caller | None, Depends(caller_if_any)]
) -> JoinedBody:
    """Become a member: as the signed-in user of its address, or as a new user with name and password."""
    return invitations.accept_invitation(
        uow, caller, **body.model_dump(), at=datetime.now(UTC), address=address_of(request)
    )
