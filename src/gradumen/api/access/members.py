"""Routes of members and invitations."""

from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends, Request, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow, address_of, get_caller, session_secret
from gradumen.core.errors import NotSignedIn
from gradumen.usecases.access import members, users
from gradumen.usecases.scope import Caller
from gradumen.wire.access.members import (
    InvitationAccept,
    InvitationBody,
    InvitationCreate,
    JoinedBody,
    MemberBody,
    MemberUpdate,
)
from gradumen.wire.access.sessions import PasswordResetBody
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


def caller_if_any(request: Request, uow: Uow) -> Caller | None:
    """The caller, or None where nobody is signed in (any more)."""
    if not request.headers.get("authorization") and session_secret(request) is None:
        return None
    try:
        return get_caller(request, uow)
    except NotSignedIn:
        return None


@router.get("/organisations/{organisation}/members", tags=["members"])
def list_members(organisation: str, uow: Uow, caller: CallerHere) -> Page[MemberBody]:
    """The members of an organisation."""
    return Page(items=[MemberBody.of(each) for each in members.list_members(uow, caller, organisation=organisation)])


@router.patch("/organisations/{organisation}/members/{user_id}", tags=["members"])
def change_member(organisation: str, user_id: UUID, body: MemberUpdate, uow: Uow, caller: CallerHere) -> MemberBody:
    """Give a member another role, or let the membership rest or go on. Safe to repeat."""
    changed = members.change_member(uow, caller, organisation=organisation, user_id=user_id, **body.model_dump())
    return MemberBody.of(changed)


@router.delete(
    "/organisations/{organisation}/members/{user_id}", status_code=status.HTTP_204_NO_CONTENT, tags=["members"]
)
def remove_member(organisation: str, user_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """End a membership, with its tokens; safe to repeat."""
    members.remove_member(uow, caller, organisation=organisation, user_id=user_id)


@router.post(
    "/organisations/{organisation}/members/{user_id}/password-reset",
    status_code=status.HTTP_201_CREATED,
    tags=["members"],
)
def make_password_reset(organisation: str, user_id: UUID, uow: Uow, caller: CallerHere) -> PasswordResetBody:
    """Make a link by which a member sets a new password. Its secret is in this answer only."""
    secret = users.make_password_reset(uow, caller, organisation=organisation, user_id=user_id)
    return PasswordResetBody(secret=secret)


@router.get("/organisations/{organisation}/invitations", tags=["invitations"])
def list_invitations(organisation: str, uow: Uow, caller: CallerHere) -> Page[InvitationBody]:
    """The open invitations to an organisation."""
    found = members.list_invitations(uow, caller, organisation=organisation)
    return Page(items=[InvitationBody.of(each) for each in found])


@router.post("/organisations/{organisation}/invitations", status_code=status.HTTP_201_CREATED, tags=["invitations"])
def invite_member(organisation: str, body: InvitationCreate, uow: Uow, caller: CallerHere) -> InvitationBody:
    """Invite one address. The link's secret is in this answer only, so this takes no Idempotency-Key."""
    return InvitationBody.of(members.invite_member(uow, caller, organisation=organisation, **body.model_dump()))


@router.delete("/invitations/{invitation_id}", status_code=status.HTTP_204_NO_CONTENT, tags=["invitations"])
def withdraw_invitation(invitation_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Take an invitation back; safe to repeat."""
    members.withdraw_invitation(uow, caller, invitation_id=invitation_id)


@router.post("/invitations/accept", tags=["invitations"])
def accept_invitation(
    body: InvitationAccept, request: Request, uow: Uow, caller: Annotated[Caller | None, Depends(caller_if_any)]
) -> JoinedBody:
    """Become a member: as the signed-in user of its address, or as a new user with name and password."""
    joined = members.accept_invitation(
        uow, caller, **body.model_dump(), at=datetime.now(UTC), address=address_of(request)
    )
    return JoinedBody.of(joined)
