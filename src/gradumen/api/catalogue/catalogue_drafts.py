"""Routes of drafts of the catalogue. A draft's ETag is its version; saving names it in If-Match."""

from typing import Annotated

from fastapi import APIRouter, Header, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.core.errors import Invalid
from gradumen.documents.catalogue import CatalogueDocument, read_catalogue, write_catalogue
from gradumen.usecases.catalogue import catalogue_drafts, publishing
from gradumen.usecases.catalogue.catalogue_drafts import CatalogueDraft
from gradumen.wire.catalogue.catalogue import ChangeBody, ChangesBody
from gradumen.wire.catalogue.catalogue_drafts import CatalogueDraftBody, CatalogueDraftSave
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute, prefix="/organisations/{organisation}/catalogue-drafts", tags=["catalogue"])
IfMatch = Annotated[str | None, Header(pattern=r'^"?[0-9]{1,9}"?$')]


def _version(if_match: str | None) -> int | None:
    return None if if_match is None else int(if_match.strip('"'))


def _body(draft: CatalogueDraft, response: Response) -> CatalogueDraftBody:
    response.headers["ETag"] = f'"{draft.version}"'
    return CatalogueDraftBody.of(draft)


def _documents(draft: CatalogueDraft) -> list[CatalogueDocument]:
    return read_catalogue([(f"{draft.kind} {draft.slug}", write_catalogue([draft.form]))])


@router.get("")
def list_catalogue_drafts(organisation: str, uow: Uow, caller: CallerHere) -> Page[CatalogueDraftBody]:
    """Services, plans and rate cards that are being written."""
    found = catalogue_drafts.list_drafts(uow, caller, organisation=organisation)
    return Page(items=[CatalogueDraftBody.of(each) for each in found])


@router.get("/{kind}/{slug}")
def read_catalogue_draft(
    organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere, response: Response
) -> CatalogueDraftBody:
    """One draft, with its ETag."""
    return _body(catalogue_drafts.read_draft(uow, caller, organisation=organisation, kind=kind, slug=slug), response)


@router.put("/{kind}/{slug}")
def save_catalogue_draft(
    organisation: str,
    kind: str,
    slug: str,
    body: CatalogueDraftSave,
    uow: Uow,
    caller: CallerHere,
    response: Response,
    if_match: IfMatch = None,
) -> CatalogueDraftBody:
    """Keep a draft, also with mistakes. If-Match names the version that was edited; without it a draft begins."""
    saved = catalogue_drafts.save_draft(
        uow, caller, organisation=organisation, kind=kind, slug=slug, form=body.form, version=_version(if_match)
    )
    return _body(saved, response)


@router.delete("/{kind}/{slug}", status_code=status.HTTP_204_NO_CONTENT)
def discard_catalogue_draft(organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere) -> None:
    """Throw a draft away. Safe to repeat."""
    catalogue_drafts.discard_draft(uow, caller, organisation=organisation, kind=kind, slug=slug)


@router.post("/{kind}/{slug}/check", dependencies=EXPENSIVE)
def check_catalogue_draft(organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Check a draft and say what publishing it would change."""
    draft = catalogue_drafts.read_draft(uow, caller, organisation=organisation, kind=kind, slug=slug)
    found = publishing.compare_catalogue(uow, caller, organisation=organisation, documents=_documents(draft))
    return ChangesBody(changes=[ChangeBody.of(each) for each in found])


@router.post("/{kind}/{slug}/publish", dependencies=EXPENSIVE)
def publish_catalogue_draft(
    organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere, if_match: IfMatch = None
) -> ChangesBody:
    """Publish a draft of the version that If-Match names; after it the draft is gone."""
    version = _version(if_match)
    if version is None:
        raise Invalid("say which version you looked at, in If-Match", field="If-Match")
    draft = catalogue_drafts.read_draft(uow, caller, organisation=organisation, kind=kind, slug=slug)
    found = catalogue_drafts.publish_draft(
        uow,
        caller,
        organisation=organisation,
        kind=kind,
        slug=slug,
        version=version,
        documents=_documents(draft),
    )
    return ChangesBody(changes=[ChangeBody.of(each) for each in found])
