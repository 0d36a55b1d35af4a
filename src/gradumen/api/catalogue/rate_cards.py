"""Routes of rate cards."""

from fastapi import Response

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.description import Yaml
from gradumen.api.routers import Router
from gradumen.documents.catalogue import write_catalogue
from gradumen.usecases.catalogue import catalogue_lists
from gradumen.wire.catalogue.catalogue import (
    DifferenceBody,
    DifferencesBody,
)
from gradumen.wire.catalogue.forms.derivations import source_form
from gradumen.wire.catalogue.rate_cards import RateCardBody
from gradumen.wire.values import Page

router = Router()


@router.get("/rate-cards", tags=["catalogue"])
def list_rate_cards(uow: Uow, caller: CallerHere) -> Page[RateCardBody]:
    """The caller's own rate cards, and those that price what it buys."""
    return Page(items=catalogue_lists.list_rate_cards(uow, caller))


@router.get("/rate-cards/{seller}/{slug}", tags=["catalogue"])
def read_rate_card(seller: str, slug: str, uow: Uow, caller: CallerHere) -> RateCardBody:
    """One rate card with its versions."""
    return catalogue_lists.read_rate_card(uow, caller, seller=seller, slug=slug)


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
    form = catalogue_lists.read_rate_card_form(uow, caller, seller=seller, slug=slug)
    return Yaml(write_catalogue([source_form(form)]))
