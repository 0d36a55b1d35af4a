"""Routes of clouds in which accounts are made, and of these."""

from uuid import UUID

from fastapi import Response, status

from gradumen.adapters.clouds import cloud_at
from gradumen.api.calls import CallerHere, DoorHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.core.errors import Conflict, Invalid, Unavailable
from gradumen.usecases.organisations import clouds
from gradumen.wire.organisations.clouds import CloudAccountBody, CloudBody, CloudCreate, CloudTriedBody, CloudUpdate
from gradumen.wire.values import Page

router = Router(tags=["clouds"])


@router.get("/organisations/{organisation}/clouds")
def list_clouds(organisation: str, uow: Uow, caller: CallerHere) -> Page[CloudBody]:
    """The clouds that an organisation may have accounts made in: its own, and those that its seller shares."""
    return Page(items=clouds.list_clouds(uow, caller, organisation=organisation))


@router.post("/organisations/{organisation}/clouds", status_code=status.HTTP_201_CREATED, response_model=CloudBody)
def register_cloud(
    organisation: str, body: CloudCreate, uow: Uow, caller: CallerHere, once: OnceHere, door: DoorHere
) -> Response:
    """Register a cloud, at an address that the operator lets be called; its secret is never told again."""

    def work(u: Uow) -> CloudBody:
        made = clouds.register_cloud(u, caller, organisation=organisation, given=body)
        # Only now, so that nobody without the right is told what the operator lets be called.
        door.check(body.endpoint, "endpoint")
        return made

    return answered(uow, once, 201, work)


@router.patch("/clouds/{cloud}")
def change_cloud(cloud: UUID, body: CloudUpdate, uow: Uow, caller: CallerHere, door: DoorHere) -> CloudBody:
    """Change a cloud, over the version that was read."""
    if body.endpoint is not None:
        clouds.require_own_cloud(uow, caller, cloud=cloud)
        door.check(body.endpoint, "endpoint")
    given = body.model_dump(exclude_unset=True, exclude={"version"})
    return clouds.change_cloud(uow, caller, cloud=cloud, version=body.version, given=given)


@router.delete("/clouds/{cloud}", status_code=status.HTTP_204_NO_CONTENT)
def retire_cloud(cloud: UUID, uow: Uow, caller: CallerHere) -> None:
    """Make no new accounts in a cloud any more. Safe to repeat."""
    clouds.retire_cloud(uow, caller, cloud=cloud)


@router.post("/clouds/{cloud}/try")
def try_cloud(cloud: UUID, uow: Uow, caller: CallerHere, door: DoorHere) -> CloudTriedBody:
    """Look whether a cloud is reached with what was entered, and what is missing."""
    found = clouds.reach_cloud(uow, caller, cloud=cloud)
    try:
        with cloud_at(door, found.kind, found.endpoint, found.secret) as reached:
            said = reached.look()
    except (Conflict, Invalid, Unavailable) as problem:
        return CloudTriedBody(reached=False, said=problem.message)
    return CloudTriedBody(reached=True, said=said)


@router.get("/organisations/{organisation}/cloud-accounts")
def list_cloud_accounts(organisation: str, uow: Uow, caller: CallerHere) -> Page[CloudAccountBody]:
    """The accounts that an organisation has in clouds; for its members and those of its direct seller."""
    return Page(items=clouds.list_cloud_accounts(uow, caller, organisation=organisation))
