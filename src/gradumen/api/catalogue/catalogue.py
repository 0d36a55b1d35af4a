"""Routes that compare and publish files of the catalogue."""

from typing import Any

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.documents.catalogue import read_catalogue
from gradumen.usecases.catalogue import publishing
from gradumen.wire.catalogue.catalogue import (
    CatalogueFiles,
    ChangesBody,
)
from gradumen.wire.catalogue.forms.schema import catalogue_schema

router = Router()


@router.post("/catalogue/compare", tags=["catalogue"], dependencies=EXPENSIVE)
def compare_catalogue(body: CatalogueFiles, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Check files and say what publishing them would change; changes nothing."""
    publishing.check_may_publish(uow, caller, organisation=body.organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    found = publishing.compare_catalogue(uow, caller, organisation=body.organisation, documents=documents)
    return ChangesBody(changes=found)


@router.post("/catalogue/publish", tags=["catalogue"], dependencies=EXPENSIVE)
def publish_catalogue(body: CatalogueFiles, uow: Uow, caller: CallerHere) -> ChangesBody:
    """Publish files, all or none. Publishing the same again changes nothing."""
    publishing.check_may_publish(uow, caller, organisation=body.organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    found = publishing.publish_catalogue(uow, caller, organisation=body.organisation, documents=documents)
    return ChangesBody(changes=found)


@router.get("/catalogue/schema", tags=["catalogue"], response_model=None)
def read_catalogue_schema(_: CallerHere) -> dict[str, Any]:
    """The JSON Schema (2020-12) of catalogue files, so that editors complete and check them."""
    return catalogue_schema()
