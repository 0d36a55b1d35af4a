"""Routes of measures."""

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.quotas import measures
from gradumen.wire.quotas.measures import MeasureBody, MeasureCreate
from gradumen.wire.values import Page

router = Router(prefix="/measures", tags=["quotas"])


@router.get("")
def list_measures(uow: Uow, caller: CallerHere) -> Page[MeasureBody]:
    """What quotas limit: what is built in, and what the provider defined."""
    return Page(items=measures.list_measures(uow, caller))


@router.put("")
def define_measure(body: MeasureCreate, uow: Uow, caller: CallerHere) -> MeasureBody:
    """Define a measure, for those who manage the provider's quotas. Safe to repeat; what it is of never changes."""
    return measures.define_measure(uow, caller, given=body)


@router.delete("/{measure}", status_code=status.HTTP_204_NO_CONTENT)
def retire_measure(measure: str, uow: Uow, caller: CallerHere) -> None:
    """Give no limits of it any more; refused while somebody has one. Safe to repeat."""
    measures.retire_measure(uow, caller, measure=measure)
