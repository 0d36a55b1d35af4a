"""A seller's tax rates per country of the buyer."""

from datetime import date
from decimal import Decimal

from gradumen.core.billing.documents import TAX_CATEGORIES, TaxRate
from gradumen.core.errors import Conflict, Invalid, NotPriceable
from gradumen.core.permissions import Right
from gradumen.store.billing.invoices import lock_documents
from gradumen.store.billing.tables import TaxRateRow
from gradumen.store.billing.tax_rates import issued_from, store_tax_rate, tax_rate_on, tax_rates_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.organisations.organisations import country_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.billing.tax_rates import TaxRateBody


@use_case
def set_tax_rate(
    tx: Session, caller: Caller, *, organisation: str, country: str, starts_on: date, category: str, percent: Decimal
) -> TaxRateBody:
    """Set the rate for buyers of a country from a day on; the same again changes nothing.

    Raises:
        Conflict: an invoice of that day or later is issued already.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.BILL, seller)
    if category not in TAX_CATEGORIES:
        raise Invalid(f"tax category '{category[:10]}' is not one of {', '.join(TAX_CATEGORIES)}", field="category")
    if not 0 <= percent <= 100 or (category != "S" and percent):
        raise Invalid(f"{percent} % does not fit category {category}; only S has one, 0 to 100", field="percent")
    lock_documents(tx, seller.id)
    known = tx.get(TaxRateRow, (seller.id, country_of(country), starts_on))
    if known is None or (known.category, known.percent) != (category, percent):
        issued = issued_from(tx, seller.id, country, starts_on)
        if issued:
            raise Conflict(f"{issued} is issued on or after {starts_on} for {country}; start the rate on a later day")
    store_tax_rate(tx, seller.id, country, starts_on, category, percent)
    before = None if known is None else {"category": known.category, "percent": known.percent}
    after = {"category": category, "percent": percent}
    if before != after:
        record(tx, caller, "tax rate set", seller.id, f"{country} from {starts_on}", before=before, after=after)
    return TaxRateBody(country=country, starts_on=starts_on, category=category, percent=percent)


@use_case
def list_tax_rates(tx: Session, caller: Caller, *, organisation: str) -> list[TaxRateBody]:
    """The tax rates of a seller, by country and day; for its own members."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    return [
        TaxRateBody(country=row.country, starts_on=row.starts_on, category=row.category, percent=row.percent)
        for row in tax_rates_of(tx, seller.id)
    ]


def find_tax(tx: Session, seller: OrganisationRow, buyer: OrganisationRow, day: date) -> TaxRate:
    """The tax of a seller on a buyer on a day.

    Raises:
        NotPriceable: the seller has no rate for the buyer's country.
    """
    row = tax_rate_on(tx, seller.id, buyer.country, day)
    if row is None:
        raise NotPriceable(
            f"'{seller.slug}' has no tax rate for buyers in {buyer.country} (like {buyer.slug}) on {day}; "
            "set one first",
            field="tax_rates",
            value=buyer.country,
        )
    return TaxRate(row.country, row.category, row.percent)
