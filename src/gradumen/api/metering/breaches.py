"""Routes of breaches of limits by metered use."""

from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases.metering import breaches
from gradumen.wire.metering.breaches import BreachBody, BreachNote
from gradumen.wire.values import Page

router = Router(tags=["quotas"])


@router.get("/organisations/{organisation}/breaches")
def list_breaches(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    state: Literal["open", "all"] = "open",
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[BreachBody]:
    """Where an organisation, a project of it, or one that it gave a limit uses more than that, the latest first.

    For its members; for those of its seller what concerns the limits that it gave. `open` leaves out what is over.
    """
    size = page_limit(limit)
    found = breaches.list_breaches(
        uow, caller, organisation=organisation, open_only=state == "open", after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: f"{last.opened_at.isoformat()}|{last.id}")


@router.put("/breaches/{breach}/note")
def note_breach(breach: UUID, body: BreachNote, uow: Uow, caller: CallerHere) -> BreachBody:
    """Say what your side does about it; your own people read it. Safe to repeat."""
    return breaches.note_breach(uow, caller, breach=breach, note=body.note)
