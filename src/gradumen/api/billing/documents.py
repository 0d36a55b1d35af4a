"""Routes of the period so far, bill runs, invoices, charges and tax rates."""

from datetime import date
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.description import Pdf
from gradumen.api.expensive import EXPENSIVE
from gradumen.core.errors import Conflict
from gradumen.core.exact import text
from gradumen.documents.invoices import PdfInvoice, PdfLine, quantity_text, write_pdf
from gradumen.usecases.billing import bill_runs, invoices, rating_differences, tax_rates
from gradumen.usecases.metering import usage
from gradumen.usecases.spend import period_so_far as so_far
from gradumen.wire.billing.bill_runs import BillRunBody, BillRunCreate
from gradumen.wire.billing.charges import ChargeBody, ChargePartBody, ReadingBody
from gradumen.wire.billing.explanations import Explanation
from gradumen.wire.billing.invoices import InvoiceBody, LineBody
from gradumen.wire.billing.rating_differences import RatingDifferenceBody
from gradumen.wire.billing.tax_rates import TaxRateBody
from gradumen.wire.spend.period_so_far import DayBody, LinkPeriodBody, NotPricedBody, PeriodSoFarBody
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


@router.get("/organisations/{organisation}/period-so-far", tags=["spend"], dependencies=EXPENSIVE)
def period_so_far(organisation: str, uow: Uow, caller: CallerHere, period: str | None = None) -> PeriodSoFarBody:
    """The lines that the drafts of a period would have, now; without ``period`` the one under way."""
    usage.refresh_usage(uow)
    found = so_far.period_so_far(uow, caller, organisation=organisation, period=period)
    return PeriodSoFarBody(organisation=organisation, links=[_link(each) for each in found])


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
        lines=[LineBody.of(line) for line in link.lines],
        days=[DayBody(day=day, amount=amount) for day, amount in link.days],
        not_priced=[NotPricedBody.model_validate(each) for each in link.not_priced],
    )


@router.post("/bill-runs", status_code=status.HTTP_202_ACCEPTED, response_model=BillRunBody, tags=["bill runs"])
def start_bill_run(body: BillRunCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Ask for the drafts of a closed period. A run under way is returned instead of a second one."""
    return answered(uow, once, 202, lambda u: BillRunBody.of(bill_runs.start_bill_run(u, caller, **body.model_dump())))


@router.get("/bill-runs", tags=["bill runs"])
def list_bill_runs(
    organisation: str, uow: Uow, caller: CallerHere, limit: Annotated[int, Query()] = 50
) -> Page[BillRunBody]:
    """A seller's bill runs, newest first."""
    found = bill_runs.list_bill_runs(uow, caller, organisation=organisation, limit=page_limit(limit))
    return Page(items=[BillRunBody.of(each) for each in found])


@router.get("/organisations/{organisation}/rating-differences", tags=["bill runs"], dependencies=EXPENSIVE)
def list_rating_differences(organisation: str, uow: Uow, caller: CallerHere) -> Page[RatingDifferenceBody]:
    """What today's rules would price differently of issued months whose usage is unchanged; nothing is billed by it."""
    found = rating_differences.list_rating_differences(uow, caller, organisation=organisation)
    return Page(items=[RatingDifferenceBody.of(each) for each in found])


@router.get("/bill-runs/{run_id}", tags=["bill runs"])
def read_bill_run(run_id: UUID, uow: Uow, caller: CallerHere) -> BillRunBody:
    """One bill run."""
    return BillRunBody.of(bill_runs.read_bill_run(uow, caller, run_id=run_id))


@router.get("/invoices", tags=["invoices"])
def list_invoices(
    uow: Uow,
    caller: CallerHere,
    state: str | None = None,
    seller: str | None = None,
    buyer: str | None = None,
    period: str | None = None,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[InvoiceBody]:
    """Drafts and issued documents, newest period first, without lines."""
    size = page_limit(limit)
    found = invoices.list_invoices(
        uow, caller, state=state, seller=seller, buyer=buyer, period=period, after=after, limit=size + 1
    )
    items = [InvoiceBody.of(each) for each in found[:size]]
    return Page(items=items, next=f"{items[-1].period}|{items[-1].id}" if len(found) > size else None)


@router.get("/invoices/{invoice_id}", tags=["invoices"])
def read_invoice(invoice_id: UUID, uow: Uow, caller: CallerHere) -> InvoiceBody:
    """A draft or document with its lines."""
    return InvoiceBody.of(invoices.read_invoice(uow, caller, invoice_id=invoice_id))


@router.post("/invoices/{invoice_id}/issue", status_code=status.HTTP_200_OK, tags=["invoices"])
def issue_invoice(invoice_id: UUID, uow: Uow, caller: CallerHere) -> InvoiceBody:
    """Issue a reviewed draft. Asking twice returns the same invoice."""
    return InvoiceBody.of(invoices.issue_invoice(uow, caller, invoice_id=invoice_id))


@router.delete("/invoices/{invoice_id}", status_code=status.HTTP_204_NO_CONTENT, tags=["invoices"])
def discard_draft(invoice_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Discard a draft; the next bill run makes it again."""
    invoices.discard_draft(uow, caller, invoice_id=invoice_id)


@router.get("/invoices/{invoice_id}/pdf", response_class=Pdf, tags=["invoices"], dependencies=EXPENSIVE)
def read_invoice_pdf(invoice_id: UUID, uow: Uow, caller: CallerHere) -> Response:
    """An issued document as PDF, made at the first call and then always the same."""
    found = invoices.read_invoice(uow, caller, invoice_id=invoice_id)
    if found.number is None or found.invoice_date is None or found.due_date is None:
        raise Conflict("a draft has no PDF yet; issue it first")
    pdf = invoices.find_pdf(uow, caller, invoice_id=invoice_id)
    if pdf is None:
        made = write_pdf(_pdf(found, found.number, found.invoice_date, found.due_date))
        pdf = invoices.keep_pdf(uow, caller, invoice_id=invoice_id, pdf=made)
    headers = {"Content-Disposition": f'inline; filename="{found.number}.pdf"'}
    return Pdf(pdf, headers=headers)


def _pdf(found: invoices.Invoice, number: str, invoice_date: date, due_date: date) -> PdfInvoice:
    return PdfInvoice(
        kind=found.kind,
        number=number,
        seller=found.parties["seller"]["name"],
        seller_country=found.parties["seller"]["country"],
        buyer=found.parties["buyer"]["name"],
        buyer_country=found.parties["buyer"]["country"],
        period=found.period,
        invoice_date=invoice_date,
        due_date=due_date,
        currency=found.currency,
        net=found.net,
        tax=found.tax,
        gross=found.gross,
        tax_category=found.tax_category,
        tax_percent=text(found.tax_percent),
        lines=[
            PdfLine(
                description=line.description,
                detail=" / ".join(each for each in (line.organisation, line.subscription, line.project) if each),
                service_period=so_far.days_text(line.service_start, line.service_end),
                quantity=quantity_text(line.quantity),
                unit=line.unit,
                amount=line.amount,
            )
            for line in found.lines
        ],
    )


@router.get("/charges/{charge_id}", tags=["charges"])
def explain_charge(charge_id: UUID, uow: Uow, caller: CallerHere) -> ChargeBody:
    """Why an amount is what it is."""
    found = invoices.explain_charge(uow, caller, charge_id=charge_id)
    return ChargeBody(
        id=found.id,
        rate_card=found.rate_card,
        currency=found.currency,
        quantity=found.quantity,
        amount=found.amount,
        service_start=found.service_start,
        service_end=found.service_end,
        evidence=found.evidence,
        explanation=Explanation.model_validate(found.explanation),
        parts=[ChargePartBody.of(part) for part in found.parts],
    )


@router.get("/charges/{charge_id}/readings", tags=["charges"])
def list_charge_readings(
    charge_id: UUID,
    uow: Uow,
    caller: CallerHere,
    after: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query()] = 100,
) -> Page[ReadingBody]:
    """The readings that a charge was made from."""
    size = page_limit(limit)
    found = invoices.list_charge_readings(uow, caller, charge_id=charge_id, after=after, limit=size + 1)
    items = [ReadingBody.of(each) for each in found[:size]]
    return Page(items=items, next=str(after + size) if len(found) > size else None)


@router.get("/organisations/{organisation}/tax-rates", tags=["tax rates"])
def list_tax_rates(organisation: str, uow: Uow, caller: CallerHere) -> Page[TaxRateBody]:
    """The tax rates of a seller."""
    found = tax_rates.list_tax_rates(uow, caller, organisation=organisation)
    return Page(items=[TaxRateBody.of(each) for each in found])


@router.put("/organisations/{organisation}/tax-rates", tags=["tax rates"])
def set_tax_rate(organisation: str, body: TaxRateBody, uow: Uow, caller: CallerHere) -> TaxRateBody:
    """Set a tax rate for buyers of a country from a day on. Safe to repeat."""
    return TaxRateBody.of(tax_rates.set_tax_rate(uow, caller, organisation=organisation, **body.model_dump()))
