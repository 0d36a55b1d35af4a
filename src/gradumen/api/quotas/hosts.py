"""Routes of the hosts of clouds."""

from datetime import date
from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.quotas import hosts
from gradumen.wire.quotas.hosts import HostDayBody, HostsBody
from gradumen.wire.tasks import TaskBody
from gradumen.wire.values import Page

router = Router(tags=["clouds"])


@router.get("/clouds/{cloud}/hosts")
def list_hosts(
    cloud: UUID,
    uow: Uow,
    caller: CallerHere,
    search: Annotated[str, Query(max_length=80)] = "",
    after: Annotated[str | None, Query(max_length=260)] = None,
    limit: Annotated[int, Query()] = 100,
) -> HostsBody:
    """The hosts of a cloud as they were at the last look, with what all have together; for its owner's people."""
    return hosts.list_hosts(uow, caller, cloud=cloud, search=search, after=after, limit=page_limit(limit))


@router.post("/clouds/{cloud}/hosts/look", status_code=status.HTTP_202_ACCEPTED, response_model=TaskBody)
def look_at_hosts(cloud: UUID, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Look at the hosts of a cloud now, not only at the next hour. A look that is under way is returned instead."""
    return answered(uow, once, 202, lambda u: hosts.look_at_hosts(u, caller, cloud=cloud))


@router.get("/clouds/{cloud}/host-days")
def list_host_days(
    cloud: UUID,
    uow: Uow,
    caller: CallerHere,
    host: Annotated[str | None, Query(max_length=190)] = None,
    first: date | None = None,
    end: date | None = None,
) -> Page[HostDayBody]:
    """What a host, or all together, had on each UTC day, from one until before another; the last 30 unless said."""
    return Page(items=hosts.list_host_days(uow, caller, cloud=cloud, host=host, first=first, end=end))
