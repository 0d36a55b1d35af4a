"""Routes of costs that suppliers' files state."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.feeds.cost_files import read_costs
from gradumen.usecases.metering import imported_costs
from gradumen.usecases.metering.cost_sets import Stated
from gradumen.wire.metering.imported_costs import (
    CostDeliveryBody,
    CostFileSent,
    CostMeterBody,
    CostMeterSet,
    ImportedCostBody,
)
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/feeds/cost-meter")
def get_cost_meter(feed: str, uow: Uow, caller: CallerHere) -> CostMeterBody:
    """The meter that the cost files of the feed ``organisation/feed`` state costs of."""
    return imported_costs.get_cost_meter(uow, caller, feed=feed)


@router.put("/feeds/cost-meter")
def set_cost_meter(feed: str, body: CostMeterSet, uow: Uow, caller: CallerHere) -> CostMeterBody:
    """Say which it is. Safe to repeat."""
    return imported_costs.set_cost_meter(
        uow, caller, feed=feed, meter=body.meter, quantities=body.quantities, estimates=body.estimates
    )


@router.post("/deliveries/cost-files", dependencies=EXPENSIVE)
def send_costs(feed: str, body: CostFileSent, uow: Uow, caller: CallerHere) -> CostDeliveryBody:
    """Send a cost file whole; one that came before changes nothing."""
    content = body.read()
    stated = Stated.of(body.name, content, body.exported_at, first=body.first, last=body.last, confirmed=body.confirmed)
    latest, again = imported_costs.before_costs(uow, caller, feed=feed, content_hash=stated.content_hash)
    if again is not None:
        return again
    return imported_costs.send_costs(
        uow, caller, feed=feed, stated=stated, frames=read_costs(body.name, content, latest)
    )


@router.get("/organisations/{organisation}/imported-costs")
def list_imported_costs(organisation: str, period: str, uow: Uow, caller: CallerHere) -> Page[ImportedCostBody]:
    """What a month cost by the files of a seller's suppliers, by account, category and owner; nobody's first."""
    return Page(items=imported_costs.list_imported_costs(uow, caller, organisation=organisation, period=period))
