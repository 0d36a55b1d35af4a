"""Routes of bill runs."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.billing import bill_runs
from gradumen.wire.billing.bill_runs import BillRunBody, BillRunCreate
from gradumen.wire.values import Page

router = Router()


@router.post("/bill-runs", status_code=status.HTTP_202_ACCEPTED, response_model=BillRunBody, tags=["bill runs"])
def start_bill_run(body: BillRunCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Ask for the drafts of a closed period. A run under way is returned instead of a second one."""
    return answered(uow, once, 202, lambda u: bill_runs.start_bill_run(u, caller, **body.model_dump()))


@router.get("/bill-runs", tags=["bill runs"])
def list_bill_runs(
    organisation: str, uow: Uow, caller: CallerHere, limit: Annotated[int, Query()] = 50
) -> Page[BillRunBody]:
    """A seller's bill runs, newest first."""
    found = bill_runs.list_bill_runs(uow, caller, organisation=organisation, limit=page_limit(limit))
    return Page(items=found)


@router.get("/bill-runs/{run_id}", tags=["bill runs"])
def read_bill_run(run_id: UUID, uow: Uow, caller: CallerHere) -> BillRunBody:
    """One bill run."""
    return bill_runs.read_bill_run(uow, caller, run_id=run_id)
