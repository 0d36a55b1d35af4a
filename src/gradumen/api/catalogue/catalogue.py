"""Routes of the catalogue."""

from typing import Any

from fastapi import APIRouter, Response

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.api.description import Yaml
from gradumen.api.expensive import EXPENSIVE
from gradumen.documents.catalogue import read_catalogue, write_catalogue
from gradumen.usecases.catalogue import catalogue_lists, offers, plan_lists, publishing, tier_sales
from gradumen.wire.catalogue.catalogue import (
    CatalogueFiles,
    ChangeBody,
    ChangesBody,
    DifferenceBody,
    DifferencesBody,
    VersionsBody,
)
from gradumen.wire.catalogue.forms.derivations import source_form
from gradumen.wire.catalogue.forms.schema import catalogue_schema
from gradumen.wire.catalogue.offers import OfferBody
from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.catalogue.rate_cards import RateCardBody
from gradumen.wire.catalogue.services import PublishedServiceBody
from gradumen.wire.catalogue.tier_sales import TierSaleBody, TierSaleUpdate
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


@router.post("/catalogue/compare", tags=["catalogue"], dependencies=EXPENSIVE)
def compare_catalogue(body: CatalogueFiles, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Check files and say what publishing them would change; changes nothing."""
    publishing.check_may_publish(uow, caller, organisation=body.organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    found = publishing.compare_catalogue(uow, caller, organisation=body.organisation, documents=documents)
    return ChangesBody(changes=[ChangeBody.of(each) for each in found])


@router.post("/catalogue/publish", tags=["catalogue"], dependencies=EXPENSIVE)
def publish_catalogue(body: CatalogueFiles, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Publish files, all or none. Publishing the same again changes nothing."""
    publishing.check_may_publish(uow, caller, organisation=body.organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    found = publishing.publish_catalogue(uow, caller, organisation=body.organisation, documents=documents)
    return ChangesBody(changes=[ChangeBody.of(each) for each in found])


@router.get("/catalogue/schema", tags=["catalogue"], response_model=None)
def read_catalogue_schema(_: CallerHere) -> dict[str, Any]:
    """The JSON Schema (2020-12) of catalogue files, so that editors complete and check them."""
    return catalogue_schema()


@router.get("/services", tags=["catalogue"])
def list_services(uow: Uow, caller: CallerHere) -> Page[PublishedServiceBody]:
    """The services of the caller's own, of those below it, and of plans that it sees."""
    return Page(items=[PublishedServiceBody.of(each) for each in plan_lists.list_services(uow, caller)])


@router.get("/plans", tags=["catalogue"])
def list_plans(uow: Uow, caller: CallerHere) -> Page[PublishedPlanBody]:
    """The plans that the caller may order, has or sells, each as its seller offers it."""
    return Page(items=[PublishedPlanBody.of(each) for each in plan_lists.list_plans(uow, caller)])


@router.get("/plans/{slug}/versions", tags=["catalogue"])
def list_plan_versions(slug: str, uow: Uow, caller: CallerHere) -> VersionsBody:
    """A plan's versions, oldest first."""
    return VersionsBody.of(catalogue_lists.list_plan_versions(uow, caller, slug=slug))


@router.get("/organisations/{organisation}/offers", tags=["catalogue"])
def list_offers(organisation: str, uow: Uow, caller: CallerHere) -> Page[OfferBody]:
    """What a seller offers to whom; offers are published like plans."""
    return Page(items=[OfferBody.of(each) for each in offers.list_offers(uow, caller, organisation=organisation)])


@router.put("/plans/{slug}/tiers/{tier}/sale", tags=["catalogue"])
def set_tier_sale(slug: str, tier: str, body: TierSaleUpdate, uow: Uow, caller: CallerHere) -> TierSaleBody:
    """Withdraw a tier from sale from a day on, or retire it; subscriptions to it go on, and prevent retirement."""
    found = tier_sales.set_tier_sale(uow, caller, plan=slug, tier=tier, **body.model_dump())
    return TierSaleBody.of(found)


@router.get("/plans/{slug}/differences", tags=["catalogue"])
def compare_plan_versions(slug: str, before: int, after: int, uow: Uow, caller: CallerHere) -> DifferencesBody:
    """What differs between two versions of a plan."""
    found = catalogue_lists.compare_versions(
        uow, caller, kind="plan", seller=None, slug=slug, before=before, after=after
    )
    return DifferencesBody(differences=[DifferenceBody(**each) for each in found])


@router.get("/rate-cards", tags=["catalogue"])
def list_rate_cards(uow: Uow, caller: CallerHere) -> Page[RateCardBody]:
    """The caller's own rate cards, and those that price what it buys."""
    return Page(items=[RateCardBody.of(each) for each in catalogue_lists.list_rate_cards(uow, caller)])


@router.get("/rate-cards/{seller}/{slug}", tags=["catalogue"])
def read_rate_card(seller: str, slug: str, uow: Uow, caller: CallerHere) -> RateCardBody:
    """One rate card with its versions."""
    return RateCardBody.of(catalogue_lists.read_rate_card(uow, caller, seller=seller, slug=slug))


@router.get("/rate-cards/{seller}/{slug}/differences", tags=["catalogue"])
def compare_rate_card_versions(
    seller: str, slug: str, before: int, after: int, uow: Uow, caller: CallerHere
) -> DifferencesBody:
    """What differs between two versions of a rate card."""
    found = catalogue_lists.compare_versions(
        uow, caller, kind="rate-card", seller=seller, slug=slug, before=before, after=after
    )
    return DifferencesBody(differences=[DifferenceBody(**each) for each in found])


@router.get("/rate-cards/{seller}/{slug}/file", response_class=Yaml, tags=["catalogue"])
def read_rate_card_file(seller: str, slug: str, uow: Uow, caller: CallerHere) -> Response:
    """A rate card's newest version as the YAML that publishes it."""
    card = catalogue_lists.read_rate_card(uow, caller, seller=seller, slug=slug)
    return Yaml(write_catalogue([source_form(card.versions[-1].form)]))
