"""Route of usage that is made again."""

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.metering import usage_remakes
from gradumen.wire.metering.usage_remakes import UsageRemakeCreate
from gradumen.wire.tasks import TaskBody

router = Router()


@router.post(
    "/organisations/{organisation}/usage-remakes",
    status_code=status.HTTP_202_ACCEPTED,
    response_model=TaskBody,
    tags=["usage"],
)
def start_usage_remake(
    organisation: str, body: UsageRemakeCreate, uow: Uow, caller: CallerHere, once: OnceHere
) -> Response:
    """Have the usage of an organisation and all below it in a month made again from what came in, and rated.

    It is a task; one that is under way is returned instead of a second one.
    """
    return answered(
        uow,
        once,
        202,
        lambda u: usage_remakes.start_usage_remake(u, caller, organisation=organisation, period=body.period),
    )
