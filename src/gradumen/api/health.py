"""Whether the process answers, and whether it can do its work."""

import shutil
from datetime import UTC, datetime
from pathlib import Path

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from gradumen.settings import Settings
from gradumen.store.unit_of_work import DATABASE_ERRORS, UnitOfWork, database_time
from gradumen.usecases.access.set_up import is_set_up
from gradumen.wire.health import Health, Readiness

MOST_APART_SECONDS = 5
"""How far the clocks of the service and of its database may be apart."""

router = APIRouter(tags=["health"])


@router.get("/healthz")
async def healthz() -> Health:
    """Whether the process answers."""
    return Health(status="ok")


@router.get("/readyz", responses={503: {"model": Readiness, "description": "What does not hold"}})
def readyz(request: Request) -> JSONResponse:
    """Whether disk, database and clock are as the service needs them, and whether a provider is set up."""
    uow: UnitOfWork = request.app.state.uow
    settings: Settings = request.app.state.settings
    database, clock, provider = _database(uow)
    checks = {"disk": _disk(settings.data, settings.least_free_mib), "database": database, "clock": clock}
    ready = all(found == "ok" for found in checks.values())
    found = Readiness(status="ok" if ready else "failing", provider=provider, **checks)
    return JSONResponse(found.model_dump(), 200 if ready else 503)


def _disk(data: Path, least_mib: int) -> str:
    """The disk of the data directory, or of the nearest directory above it that is there."""
    there = next(each for each in (data, *data.resolve().parents) if each.exists())
    free = shutil.disk_usage(there).free // 2**20
    return "ok" if free >= least_mib else f"{free} MiB free, at least {least_mib} are needed"


def _database(uow: UnitOfWork) -> tuple[str, str, str]:
    """Whether the database answers, whether its clock is ours, and whether a provider is set up."""
    theirs = database_time(uow.engine)
    if theirs is None:
        return "it does not answer", "not known", "not known"
    apart = abs((datetime.now(UTC) - theirs).total_seconds())
    try:
        provider = "set up" if is_set_up(uow) else "none"
    except DATABASE_ERRORS:
        return "it does not answer", "not known", "not known"
    if apart > MOST_APART_SECONDS:
        return "ok", f"{apart} s apart from the database's, at most {MOST_APART_SECONDS} may be", provider
    return "ok", "ok", provider
