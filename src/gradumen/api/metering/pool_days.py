"""Route of pools day by day."""

from datetime import date
from uuid import UUID

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import pool_days
from gradumen.wire.metering.pool_days import PoolDayBody
from gradumen.wire.values import Page

router = Router(tags=["sites"])


@router.get("/pools/{pool}/days")
def list_pool_days(
    pool: UUID, uow: Uow, caller: CallerHere, first: date | None = None, end: date | None = None
) -> Page[PoolDayBody]:
    """What there was of a pool, was promised and in use on each UTC day; the last 30 unless said."""
    return Page(items=pool_days.list_pool_days(uow, caller, pool=pool, first=first, end=end))
