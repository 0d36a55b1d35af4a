"""Routes of estimates and coverage. None of them changes anything."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.documents.catalogue import read_catalogue
from gradumen.usecases.catalogue import publishing
from gradumen.usecases.rating import estimates
from gradumen.wire.rating.estimates import (
    CardCoverageBody,
    CoverageAsked,
    EstimateAsked,
    EstimateBody,
)
from gradumen.wire.values import Page

router = Router(tags=["estimates"])


@router.post("/estimates", dependencies=EXPENSIVE)
def estimate_price(body: EstimateAsked, uow: Uow, caller: CallerHere) -> EstimateBody:
    """What a tier would cost an organisation over a term, month by month with its lines."""
    expected = [estimates.ExpectedUse(each.meter, each.quantity, each.unit, each.attributes) for each in body.expected]
    asked = {**body.model_dump(exclude={"expected"}), "expected": expected}
    return estimates.estimate_price(uow, caller, **asked)


@router.post("/estimates/coverage", dependencies=EXPENSIVE)
def check_coverage(body: CoverageAsked, uow: Uow, caller: CallerHere) -> Page[CardCoverageBody]:
    """Which meters of a plan no rate of a card prices, and which tiers have no fee."""
    publishing.check_may_publish(uow, caller, organisation=body.organisation)
    documents = read_catalogue([(file.name, file.content) for file in body.files])
    found = estimates.check_coverage(uow, caller, organisation=body.organisation, plan=body.plan, documents=documents)
    return Page(items=found)
