"""Routes of limits at sites and of pools, and of who may use which site."""

from uuid import UUID

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.organisations.sites import read_permitted_sites as read_permitted
from gradumen.usecases.quotas import held_to_sites, site_quotas
from gradumen.wire.organisations.sites import PermittedSites
from gradumen.wire.quotas.site_quotas import SiteQuotaBody, SiteQuotaGrant
from gradumen.wire.values import Page

router = Router(prefix="/organisations/{organisation}", tags=["sites"])


@router.get("/site-quotas")
def list_site_quotas(organisation: str, uow: Uow, caller: CallerHere) -> Page[SiteQuotaBody]:
    """What an organisation and its projects may have at sites and of pools, where anything is said of it."""
    return Page(items=site_quotas.list_site_quotas(uow, caller, organisation=organisation))


@router.put("/site-quotas/{site}/{measure}")
def grant_site_quota(
    organisation: str, site: UUID, measure: str, body: SiteQuotaGrant, uow: Uow, caller: CallerHere
) -> SiteQuotaBody:
    """Set, or with null take away, a limit at a site or of a pool there. Safe to repeat."""
    return site_quotas.grant_site_quota(uow, caller, organisation=organisation, site=site, measure=measure, given=body)


@router.get("/permitted-sites")
def read_permitted_sites(organisation: str, uow: Uow, caller: CallerHere) -> PermittedSites:
    """The sites that an organisation is held to; null is all that its seller may use."""
    return read_permitted(uow, caller, organisation=organisation)


@router.put("/permitted-sites")
def set_permitted_sites(organisation: str, body: PermittedSites, uow: Uow, caller: CallerHere) -> PermittedSites:
    """Hold an organisation, and all below it, to some sites; its seller's to say. Safe to repeat."""
    return held_to_sites.set_permitted_sites(uow, caller, organisation=organisation, sites=body.sites)


@router.get("/projects/{project}/permitted-sites")
def read_project_sites(organisation: str, project: str, uow: Uow, caller: CallerHere) -> PermittedSites:
    """The sites that a project is held to; null is all that its organisation may use."""
    return held_to_sites.read_project_sites(uow, caller, organisation=organisation, project=project)


@router.put("/projects/{project}/permitted-sites")
def set_project_sites(
    organisation: str, project: str, body: PermittedSites, uow: Uow, caller: CallerHere
) -> PermittedSites:
    """Hold a project to some of the sites that its organisation may use. Safe to repeat."""
    return held_to_sites.set_project_sites(uow, caller, organisation=organisation, project=project, sites=body.sites)
