"""Routes of unpublished changes of the catalogue. A change's ETag is its version; saving names it in If-Match."""

from typing import Annotated

from fastapi import Header, Response, status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.core.errors import Invalid
from gradumen.documents.catalogue import CatalogueDocument, read_catalogue, write_catalogue
from gradumen.usecases.catalogue import publishing, unpublished_changes
from gradumen.wire.catalogue.catalogue import ChangesBody
from gradumen.wire.catalogue.unpublished_changes import UnpublishedChangeBody, UnpublishedChangeSave
from gradumen.wire.values import Page

router = Router(prefix="/organisations/{organisation}/unpublished-changes", tags=["catalogue"])
IfMatch = Annotated[str | None, Header(pattern=r'^"?[0-9]{1,9}"?$')]


def _version(if_match: str | None) -> int | None:
    return None if if_match is None else int(if_match.strip('"'))


def _body(change: UnpublishedChangeBody, response: Response) -> UnpublishedChangeBody:
    response.headers["ETag"] = f'"{change.version}"'
    return change


def _documents(change: UnpublishedChangeBody) -> list[CatalogueDocument]:
    return read_catalogue([(f"{change.kind} {change.slug}", write_catalogue([change.form]))])


@router.get("")
def list_unpublished_changes(organisation: str, uow: Uow, caller: CallerHere) -> Page[UnpublishedChangeBody]:
    """Services, plans and rate cards that are being written."""
    found = unpublished_changes.list_changes(uow, caller, organisation=organisation)
    return Page(items=found)


@router.get("/{kind}/{slug}")
def read_unpublished_change(
    organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere, response: Response
) -> UnpublishedChangeBody:
    """One unpublished change, with its ETag."""
    return _body(
        unpublished_changes.read_change(uow, caller, organisation=organisation, kind=kind, slug=slug), response
    )


@router.put("/{kind}/{slug}")
def save_unpublished_change(
    organisation: str,
    kind: str,
    slug: str,
    body: UnpublishedChangeSave,
    uow: Uow,
    caller: CallerHere,
    response: Response,
    if_match: IfMatch = None,
) -> UnpublishedChangeBody:
    """Keep a change, also with mistakes. If-Match names the version that was edited; without it one begins."""
    saved = unpublished_changes.save_change(
        uow, caller, organisation=organisation, kind=kind, slug=slug, form=body.form, version=_version(if_match)
    )
    return _body(saved, response)


@router.delete("/{kind}/{slug}", status_code=status.HTTP_204_NO_CONTENT)
def discard_unpublished_change(organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere) -> None:
    """Throw an unpublished change away. Safe to repeat."""
    unpublished_changes.discard_change(uow, caller, organisation=organisation, kind=kind, slug=slug)


@router.post("/{kind}/{slug}/check", dependencies=EXPENSIVE)
def check_unpublished_change(organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Check an unpublished change and say what publishing it would change."""
    change = unpublished_changes.read_change(uow, caller, organisation=organisation, kind=kind, slug=slug)
    found = publishing.compare_catalogue(uow, caller, organisation=organisation, documents=_documents(change))
    return ChangesBody(changes=found)


@router.post("/{kind}/{slug}/publish", dependencies=EXPENSIVE)
def publish_unpublished_change(
    organisation: str, kind: str, slug: str, uow: Uow, caller: CallerHere, if_match: IfMatch = None
) -> ChangesBody:
    """Publish an unpublished change of the version that If-Match names; after it that is gone."""
    version = _version(if_match)
    if version is None:
        raise Invalid("say which version you looked at, in If-Match", field="If-Match")
    change = unpublished_changes.read_change(uow, caller, organisation=organisation, kind=kind, slug=slug)
    found = unpublished_changes.publish_change(
        uow,
        caller,
        organisation=organisation,
        kind=kind,
        slug=slug,
        version=version,
        documents=_documents(change),
    )
    return ChangesBody(changes=found)
