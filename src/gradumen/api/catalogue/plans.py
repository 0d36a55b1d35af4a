"""Routes of plans."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import catalogue_lists, plan_lists, tier_sales
from gradumen.wire.catalogue.catalogue import (
    DifferenceBody,
    DifferencesBody,
    VersionsBody,
)
from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.catalogue.tier_sales import TierSaleBody, TierSaleUpdate
from gradumen.wire.values import Page

router = Router()


@router.get("/plans", tags=["catalogue"])
def list_plans(uow: Uow, caller: CallerHere) -> Page[PublishedPlanBody]:
    """The plans that the caller may order, has or sells, each as its seller offers it."""
    return Page(items=[PublishedPlanBody.of(each) for each in plan_lists.list_plans(uow, caller)])


@router.get("/plans/{slug}/versions", tags=["catalogue"])
def list_plan_versions(slug: str, uow: Uow, caller: CallerHere) -> VersionsBody:
    """A plan's versions, oldest first."""
    return catalogue_lists.list_plan_versions(uow, caller, slug=slug)


@router.put("/plans/{slug}/tiers/{tier}/sale", tags=["catalogue"])
def set_tier_sale(slug: str, tier: str, body: TierSaleUpdate, uow: Uow, caller: CallerHere) -> TierSaleBody:
    """Withdraw a tier from sale from a day on, or retire it; subscriptions to it go on, and prevent retirement."""
    return tier_sales.set_tier_sale(uow, caller, plan=slug, tier=tier, **body.model_dump())


@router.get("/plans/{slug}/differences", tags=["catalogue"])
def compare_plan_versions(slug: str, before: int, after: int, uow: Uow, caller: CallerHere) -> DifferencesBody:
    """What differs between two versions of a plan."""
    found = catalogue_lists.compare_versions(
        uow, caller, kind="plan", seller=None, slug=slug, before=before, after=after
    )
    return DifferencesBody(differences=[DifferenceBody(**each) for each in found])
