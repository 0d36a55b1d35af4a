"""Routes of sites."""

from uuid import UUID

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.organisations import sites
from gradumen.wire.organisations.sites import SiteBody, SiteCreate, SiteUpdate
from gradumen.wire.values import Page

router = Router(tags=["sites"])


@router.get("/organisations/{organisation}/sites")
def list_sites(organisation: str, uow: Uow, caller: CallerHere) -> Page[SiteBody]:
    """The sites that an organisation may use: its own, and those above it that it is let use."""
    return Page(items=sites.list_sites(uow, caller, organisation=organisation))


@router.post("/organisations/{organisation}/sites", status_code=status.HTTP_201_CREATED, response_model=SiteBody)
def register_site(organisation: str, body: SiteCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Register a site of one's own, for oneself and those below."""
    return answered(uow, once, 201, lambda u: sites.register_site(u, caller, organisation=organisation, given=body))


@router.patch("/sites/{site}")
def change_site(site: UUID, body: SiteUpdate, uow: Uow, caller: CallerHere) -> SiteBody:
    """Change a site, over the version that was read."""
    given = body.model_dump(exclude_unset=True, exclude={"version"})
    return sites.change_site(uow, caller, site=site, version=body.version, given=given)


@router.delete("/sites/{site}", status_code=status.HTTP_204_NO_CONTENT)
def retire_site(site: UUID, uow: Uow, caller: CallerHere) -> None:
    """Give no limits there any more. Safe to repeat."""
    sites.retire_site(uow, caller, site=site)
