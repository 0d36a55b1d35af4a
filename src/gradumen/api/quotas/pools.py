"""Routes of pools."""

from uuid import UUID

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.quotas import pools
from gradumen.wire.quotas.pools import PoolBody, PoolCreate, PoolUpdate
from gradumen.wire.values import Page

router = Router(tags=["sites"])


@router.get("/organisations/{organisation}/pools")
def list_pools(organisation: str, uow: Uow, caller: CallerHere) -> Page[PoolBody]:
    """What there is at an organisation's own sites, and what of it is promised; for its members."""
    return Page(items=pools.list_pools(uow, caller, organisation=organisation))


@router.post("/organisations/{organisation}/pools", status_code=status.HTTP_201_CREATED, response_model=PoolBody)
def make_pool(organisation: str, body: PoolCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Say what there is of a measure at a site; no more than that is promised there."""
    return answered(uow, once, 201, lambda u: pools.make_pool(u, caller, organisation=organisation, given=body))


@router.patch("/pools/{pool}")
def change_pool(pool: UUID, body: PoolUpdate, uow: Uow, caller: CallerHere) -> PoolBody:
    """Change a pool, over the version that was read; it may have less than is promised."""
    given = body.model_dump(exclude_unset=True, exclude={"version"})
    return pools.change_pool(uow, caller, pool=pool, version=body.version, given=given)


@router.delete("/pools/{pool}", status_code=status.HTTP_204_NO_CONTENT)
def retire_pool(pool: UUID, uow: Uow, caller: CallerHere) -> None:
    """A pool is not there any more. Safe to repeat."""
    pools.retire_pool(uow, caller, pool=pool)
