"""Routes of members."""

from uuid import UUID

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.access import members, users
from gradumen.wire.access.members import (
    MemberBody,
    MemberUpdate,
)
from gradumen.wire.access.sessions import PasswordResetBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/members", tags=["members"])
def list_members(organisation: str, uow: Uow, caller: CallerHere) -> Page[MemberBody]:
    """The members of an organisation."""
    return Page(items=members.list_members(uow, caller, organisation=organisation))


@router.patch("/organisations/{organisation}/members/{user_id}", tags=["members"])
def change_member(organisation: str, user_id: UUID, body: MemberUpdate, uow: Uow, caller: CallerHere) -> MemberBody:
    """Give a member another role, or let the membership rest or go on. Safe to repeat."""
    return members.change_member(uow, caller, organisation=organisation, user_id=user_id, **body.model_dump())


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
