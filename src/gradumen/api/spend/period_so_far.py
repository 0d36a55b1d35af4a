"""Route of the period so far."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.spend import period_so_far as so_far
from gradumen.wire.billing.invoices import LineBody
from gradumen.wire.spend.period_so_far import DayBody, LinkPeriodBody, NotPricedBody, PeriodSoFarBody

router = Router()


@router.get("/organisations/{organisation}/period-so-far", tags=["spend"], dependencies=EXPENSIVE)
def period_so_far(organisation: str, uow: Uow, caller: CallerHere, period: str | None = None) -> PeriodSoFarBody:
    """The lines that the drafts of a period would have, now; without ``period`` the one under way."""
    found, problems, current = so_far.period_so_far(uow, caller, organisation=organisation, period=period)
    return PeriodSoFarBody(
        organisation=organisation,
        links=[_link(each) for each in found],
        problems=problems,
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _link(link: so_far.LinkPeriod) -> LinkPeriodBody:
    return LinkPeriodBody(
        seller=link.seller,
        seller_name=link.seller_name,
        buyer=link.buyer,
        buyer_name=link.buyer_name,
        currency=link.currency,
        period=link.period,
        start=link.start,
        end=link.end,
        net=link.net,
        estimated=link.estimated,
        lines=[LineBody.of(line) for line in link.lines],
        days=[DayBody(day=day, amount=amount) for day, amount in link.days],
        not_priced=[NotPricedBody.model_validate(each) for each in link.not_priced],
    )
