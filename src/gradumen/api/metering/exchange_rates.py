"""Routes of exchange rates."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import exchange_rates
from gradumen.wire.metering.exchange_rates import ExchangeRateBody, ExchangeRatesSet
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/exchange-rates")
def list_exchange_rates(organisation: str, uow: Uow, caller: CallerHere) -> Page[ExchangeRateBody]:
    """What a seller's imported costs are worth in other currencies, from days on."""
    return Page(items=exchange_rates.list_exchange_rates(uow, caller, organisation=organisation))


@router.put("/organisations/{organisation}/exchange-rates")
def set_exchange_rates(
    organisation: str, body: ExchangeRatesSet, uow: Uow, caller: CallerHere
) -> Page[ExchangeRateBody]:
    """Add rates, or change those of the same currencies and day. Safe to repeat."""
    return Page(items=exchange_rates.set_exchange_rates(uow, caller, organisation=organisation, rates=body.rates))
