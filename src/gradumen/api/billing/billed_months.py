"""Route of months that are billed."""

from datetime import date
from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.billing import billed_months
from gradumen.wire.billing.billed_months import BilledMonthBody
from gradumen.wire.values import Page

router = Router(tags=["billing"])


@router.get("/organisations/{organisation}/billed-months")
def list_billed_months(
    organisation: str, since: date, used_by: Annotated[list[str], Query()], uow: Uow, caller: CallerHere
) -> Page[BilledMonthBody]:
    """What is billed for the months from a day's on to those through whom organisations (`used_by`) buy."""
    return Page(
        items=billed_months.list_billed_months(uow, caller, organisation=organisation, since=since, used_by=used_by)
    )
