"""Routes of the record of who did what."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases import audit_entries
from gradumen.wire.audit_entries import AuditEntryBody
from gradumen.wire.values import Page

router = Router(tags=["audit entries"])


@router.get("/organisations/{organisation}/audit-entries")
def list_audit_entries(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    action: str | None = None,
    search: Annotated[str, Query(max_length=80)] = "",
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[AuditEntryBody]:
    """What was done in an organisation and for it, newest first; for its administrators."""
    size = page_limit(limit)
    found = audit_entries.list_audit_entries(
        uow, caller, organisation=organisation, action=action, search=search, after=after, limit=size + 1
    )
    bodies = found
    return page_of(bodies, size, lambda last: f"{last.at.isoformat()}|{last.id}")
