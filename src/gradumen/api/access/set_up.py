"""Route of set-up."""

import secrets
from datetime import UTC, datetime
from pathlib import Path

from fastapi import Request, status

from gradumen.api.calls import Uow, address_of
from gradumen.api.routers import Router
from gradumen.core.errors import NotSignedIn
from gradumen.usecases.access.set_up import is_set_up, set_up_provider
from gradumen.wire.access.sessions import SetUp, SetUpBody

router = Router()


@router.get("/set-up", tags=["sessions"])
def read_set_up(request: Request, uow: Uow) -> SetUpBody:
    """Whether the service waits for its provider to be set up; anybody may ask."""
    return SetUpBody(open=_expected(request) is not None and not is_set_up(uow))


def _expected(request: Request) -> str | None:
    file: Path | None = request.app.state.set_up_file
    return file.read_text().strip() if file is not None and file.exists() else None


@router.post("/set-up", status_code=status.HTTP_201_CREATED, tags=["sessions"])
def set_up(body: SetUp, request: Request, uow: Uow) -> dict[str, str]:
    """Make the provider and its first administrator, with the code that the service printed at its first start."""
    file: Path | None = request.app.state.set_up_file
    expected = _expected(request)
    if expected is None or not secrets.compare_digest(expected.encode(), body.code.encode()):
        raise NotSignedIn("the set-up code is wrong or used; the service prints it when it starts without a provider")
    fields = body.model_dump(exclude={"code"})
    set_up_provider(uow, **fields, at=datetime.now(UTC), address=address_of(request))
    if file is not None:
        file.unlink(missing_ok=True)
    return {"organisation": body.slug}
