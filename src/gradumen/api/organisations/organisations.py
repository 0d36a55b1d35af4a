"""Routes of organisations."""

from typing import Annotated, Literal

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.core.organisations.states import State
from gradumen.usecases.organisations import organisations
from gradumen.wire.organisations.organisations import OrganisationBody, OrganisationCreate, OrganisationUpdate
from gradumen.wire.values import Page

router = Router(prefix="/organisations")


@router.get("", tags=["organisations"])
def list_organisations(
    uow: Uow,
    caller: CallerHere,
    after: str | None = None,
    limit: Annotated[int, Query()] = 200,
    search: Annotated[str, Query(max_length=80)] = "",
    parent: str | None = None,
    type: Literal["provider", "reseller", "tenant"] | None = None,
    state: State | None = None,
    tag: Annotated[str | None, Query(max_length=40)] = None,
) -> Page[OrganisationBody]:
    """The organisations that the caller sees, by slug; with ``parent`` only those that one sells to.

    ``state`` is what holds for them, ``tag`` one that the caller's organisations gave them.
    """
    size = page_limit(limit, 2000)
    found = organisations.list_organisations(
        uow, caller, after=after, limit=size + 1, search=search, parent=parent, type=type, state=state, tag=tag
    )
    return page_of(found, size, lambda last: last.slug)


@router.post("", status_code=status.HTTP_201_CREATED, response_model=OrganisationBody, tags=["organisations"])
def create_organisation(body: OrganisationCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Bring a reseller or tenant on board under a seller."""
    return answered(
        uow,
        once,
        201,
        lambda u: organisations.create_organisation(u, caller, **body.model_dump()),
    )


@router.get("/{organisation}", tags=["organisations"])
def read_organisation(organisation: str, uow: Uow, caller: CallerHere) -> OrganisationBody:
    """One organisation."""
    return organisations.read_organisation(uow, caller, slug=organisation)


@router.patch("/{organisation}", tags=["organisations"])
def change_organisation(organisation: str, body: OrganisationUpdate, uow: Uow, caller: CallerHere) -> OrganisationBody:
    """Change its name or cost centre, or what its seller says of it. Safe to repeat."""
    given = body.model_dump(exclude_unset=True)
    return organisations.change_organisation(uow, caller, organisation=organisation, given=given)
