"""Route of set-up."""

import secrets
from datetime import UTC, datetime
from pathlib import Path

from fastapi import APIRouter, Request, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import Uow, address_of
from gradumen.core.errors import NotSignedIn
from gradumen.usecases.access.set_up import set_up_provider
from gradumen.wire.access.sessions import SetUp

router = APIRouter(route_class=StrictRoute)


@router.post("/set-up", status_code=status.HTTP_201_CREATED, tags=["sessions"])
def set_up(body: SetUp, request: Request, uow: Uow) -> dict[str, str]:
    """Make the provider and its first administrator, with the code that the service printed at its first start."""
    file: Path | None = request.app.state.set_up_file
    expected = file.read_text().strip() if file is not None and file.exists() else None
    if expected is None or not secrets.compare_digest(expected.encode(), body.code.encode()):
        raise NotSignedIn("the set-up code is wrong or used; the service prints it when it starts without a provider")
    fields = body.model_dump(exclude={"code"})
    set_up_provider(uow, **fields, at=datetime.now(UTC), address=address_of(request))
    if file is not None:
        file.unlink(missing_ok=True)
    return {"organisation": body.slug}
