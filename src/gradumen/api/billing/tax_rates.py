"""Routes of tax rates."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.billing import tax_rates
from gradumen.wire.billing.tax_rates import TaxRateBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/tax-rates", tags=["tax rates"])
def list_tax_rates(organisation: str, uow: Uow, caller: CallerHere) -> Page[TaxRateBody]:
    """The tax rates of a seller."""
    found = tax_rates.list_tax_rates(uow, caller, organisation=organisation)
    return Page(items=found)


@router.put("/organisations/{organisation}/tax-rates", tags=["tax rates"])
def set_tax_rate(organisation: str, body: TaxRateBody, uow: Uow, caller: CallerHere) -> TaxRateBody:
    """Set a tax rate for buyers of a country from a day on. Safe to repeat."""
    return tax_rates.set_tax_rate(uow, caller, organisation=organisation, **body.model_dump())
