"""Routes of bringing customers on board."""

from fastapi import APIRouter, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.usecases.subscriptions import onboardings
from gradumen.wire.subscriptions.onboardings import OnboardingsBody, OnboardingsCreate

router = APIRouter(route_class=StrictRoute, tags=["onboardings"])


@router.post(
    "/organisations/{organisation}/onboardings", status_code=status.HTTP_201_CREATED, response_model=OnboardingsBody
)
def onboard_customers(
    organisation: str, body: OnboardingsCreate, uow: Uow, caller: CallerHere, once: OnceHere
) -> Response:
    """Bring customers on board, each with limits, projects, people and subscriptions; all of it or nothing."""
    return answered(
        uow,
        once,
        201,
        lambda u: onboardings.onboard_customers(u, caller, organisation=organisation, wanted=body),
    )
