"""Routes of what-ifs: a period priced again with other rate cards."""

from functools import partial
from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.documents.catalogue import read_catalogue
from gradumen.usecases.catalogue import publishing
from gradumen.usecases.rating import what_ifs
from gradumen.wire.rating.what_ifs import WhatIfAmountBody, WhatIfAsked, WhatIfBody
from gradumen.wire.values import Page

router = Router(tags=["what-ifs"])


@router.post(
    "/organisations/{organisation}/what-ifs",
    status_code=status.HTTP_202_ACCEPTED,
    response_model=WhatIfBody,
    dependencies=EXPENSIVE,
)
def ask_what_if(organisation: str, body: WhatIfAsked, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Ask what a period would have come to with other rate cards; a task prices it. Changes nothing else."""
    publishing.check_may_publish(uow, caller, organisation=organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    ask = partial(what_ifs.ask_what_if, organisation=organisation, period=body.period, documents=documents)
    return answered(uow, once, 202, lambda joined: ask(joined, caller))


@router.get("/organisations/{organisation}/what-ifs")
def list_what_ifs(
    organisation: str, uow: Uow, caller: CallerHere, after: str | None = None, limit: Annotated[int, Query()] = 50
) -> Page[WhatIfBody]:
    """What was asked for a seller in the last 90 days, newest first, without sums."""
    size = page_limit(limit)
    found = what_ifs.list_what_ifs(uow, caller, organisation=organisation, after=after, limit=size + 1)
    return page_of(found, size, lambda last: f"{last.asked_at.isoformat()}|{last.id}")


@router.get("/what-ifs/{what_if_id}")
def read_what_if(what_if_id: UUID, uow: Uow, caller: CallerHere) -> WhatIfBody:
    """One what-if, with its sums by service when it is done."""
    return what_ifs.read_what_if(uow, caller, what_if_id=what_if_id)


@router.get("/what-ifs/{what_if_id}/amounts")
def list_what_if_amounts(
    what_if_id: UUID,
    uow: Uow,
    caller: CallerHere,
    differing: bool = False,
    search: Annotated[str, Query(max_length=200)] = "",
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[WhatIfAmountBody]:
    """What each buyer's charges of each service came to, and would have come to; by buyer."""
    size = page_limit(limit)
    found = what_ifs.list_amounts(
        uow, caller, what_if_id=what_if_id, differing=differing, search=search, after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: f"{last.buyer}|{last.service}|{last.currency}")
