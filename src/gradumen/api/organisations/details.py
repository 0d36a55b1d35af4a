"""Routes of what organisations are on paper."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.organisations import details
from gradumen.wire.organisations.details import DetailsBody, DetailsUpdate

router = Router(prefix="/organisations/{organisation}/details", tags=["organisations"])


@router.get("")
def read_details(organisation: str, uow: Uow, caller: CallerHere) -> DetailsBody:
    """Who an organisation is on paper, and how to reach it; for its own members and those of its direct seller."""
    return details.read_details(uow, caller, organisation=organisation)


@router.put("")
def change_details(organisation: str, body: DetailsUpdate, uow: Uow, caller: CallerHere) -> DetailsBody:
    """Put what is known of it in the place of what was. Safe to repeat."""
    return details.change_details(
        uow,
        caller,
        organisation=organisation,
        billing_contacts=body.billing_contacts,
        version=body.version,
        given=body.model_dump(include=set(details.FIELDS)),
    )
