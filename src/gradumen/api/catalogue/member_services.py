"""Routes of the services to which a member's ordering is held."""

from uuid import UUID

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import member_services
from gradumen.wire.access.members import MemberBody
from gradumen.wire.catalogue.member_services import MemberServices

router = Router()


@router.put("/organisations/{organisation}/members/{user_id}/services", tags=["members"])
def set_member_services(
    organisation: str, user_id: UUID, body: MemberServices, uow: Uow, caller: CallerHere
) -> MemberBody:
    """Hold a member to plans of some services, in all that it orders and sells. Safe to repeat."""
    return member_services.set_member_services(
        uow, caller, organisation=organisation, user_id=user_id, services=body.services
    )


@router.put("/invitations/{invitation_id}/services", status_code=status.HTTP_204_NO_CONTENT, tags=["invitations"])
def set_invitation_services(invitation_id: UUID, body: MemberServices, uow: Uow, caller: CallerHere) -> None:
    """The same for whoever accepts an open invitation. Safe to repeat."""
    member_services.set_invitation_services(uow, caller, invitation_id=invitation_id, services=body.services)
