"""Route of usage."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.metering import usage
from gradumen.wire.metering.usage import UsageSumsBody

router = Router()


@router.get("/organisations/{organisation}/usage", tags=["usage"], dependencies=EXPENSIVE)
def sum_usage(
    organisation: str,
    period: str,
    uow: Uow,
    caller: CallerHere,
    by: Annotated[list[str], Query()] = [],  # noqa: B006  # FastAPI copies it
    project: str | None = None,
    meter: str | None = None,
    resource: Annotated[str | None, Query(max_length=191)] = None,
    limit: Annotated[int, Query()] = 500,
) -> UsageSumsBody:
    """Usage of an organisation and all below in a month, by one or more dimensions.

    These are day, meter, resource, project, organisation, feed, cloud, region, and ``attribute:NAME``.
    """
    return usage.sum_usage(
        uow,
        caller,
        organisation=organisation,
        period=period,
        by=tuple(by),
        project=project,
        meter=meter,
        resource=resource,
        limit=page_limit(limit, 5000),
    )
