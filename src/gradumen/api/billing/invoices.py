"""Routes of invoices and their drafts."""

from collections import Counter
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Query, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.description import Pdf
from gradumen.api.expensive import EXPENSIVE
from gradumen.core.catalogue.units import unit_words
from gradumen.core.errors import Conflict
from gradumen.core.exact import text
from gradumen.core.periods import days_text
from gradumen.documents.fonts import is_printable
from gradumen.documents.invoices import (
    PdfInvoice,
    PdfLine,
    PdfParty,
    PdfTax,
    average_text,
    country_name,
    quantity_text,
    write_pdf,
)
from gradumen.usecases.billing import invoices, issuing
from gradumen.wire.billing.invoices import InvoiceBody, InvoicesBody, IssueDrafts
from gradumen.wire.tasks import TaskBody

router = APIRouter(route_class=StrictRoute)


@router.get("/invoices", tags=["invoices"])
def list_invoices(
    uow: Uow,
    caller: CallerHere,
    state: str | None = None,
    seller: str | None = None,
    buyer: str | None = None,
    organisation: str | None = None,
    period: str | None = None,
    search: Annotated[str, Query(max_length=100)] = "",
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> InvoicesBody:
    """Drafts and issued documents without lines: newest period first, its drafts before its numbers.

    ``organisation`` is seller or buyer; ``search`` is found in the number or in the parties' names.
    """
    return invoices.list_invoices(
        uow,
        caller,
        state=state,
        seller=seller,
        buyer=buyer,
        organisation=organisation,
        period=period,
        search=search.strip(),
        after=after,
        limit=page_limit(limit),
    )


@router.get("/invoices/{invoice_id}", tags=["invoices"])
def read_invoice(invoice_id: UUID, uow: Uow, caller: CallerHere) -> InvoiceBody:
    """A draft or document with its lines."""
    return InvoiceBody.of(invoices.read_invoice(uow, caller, invoice_id=invoice_id))


@router.post("/invoices/{invoice_id}/issue", status_code=status.HTTP_200_OK, tags=["invoices"])
def issue_invoice(invoice_id: UUID, uow: Uow, caller: CallerHere) -> InvoiceBody:
    """Issue a reviewed draft. Asking twice returns the same invoice."""
    return InvoiceBody.of(invoices.issue_invoice(uow, caller, invoice_id=invoice_id))


@router.post(
    "/organisations/{organisation}/invoices/issue",
    status_code=status.HTTP_202_ACCEPTED,
    response_model=TaskBody,
    tags=["invoices"],
)
def start_issuing(organisation: str, body: IssueDrafts, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Ask for drafts to be issued, all or those named; a task issues one after the other."""
    return answered(
        uow,
        once,
        202,
        lambda u: issuing.start_issuing(u, caller, organisation=organisation, invoices=body.invoices),
    )


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
    groups = _groups(found)
    return PdfInvoice(
        kind=found.kind,
        number=number,
        seller=_party(found.parties["seller"]),
        buyer=_party(found.parties["buyer"]),
        payer=_party(found.parties["payer"]) if "payer" in found.parties else None,
        period=found.period,
        invoice_date=invoice_date,
        due_date=due_date,
        currency=found.currency,
        net=found.net,
        gross=found.gross,
        tax_category=found.tax_category,
        taxes=[PdfTax(each.category, text(each.percent), each.net, each.tax) for each in found.taxes],
        lines=[
            PdfLine(
                group=groups[line.organisation, line.project],
                description=line.description,
                detail=f"{line.subscription}, corrects {line.corrects}" if line.corrects else line.subscription,
                service_period=days_text(line.service_start, line.service_end),
                quantity=quantity_text(line.quantity),
                unit=unit_words(line.unit, line.quantity),
                average=average_text(line.amount, line.quantity),
                amount=line.amount,
            )
            for line in found.lines
        ],
    )


def _party(known: Mapping[str, Any]) -> PdfParty:
    papers = [("Tax number", known.get("tax_id")), ("Registered", known.get("registration"))]
    return PdfParty(
        name=known.get("legal_name") or known["name"],
        address=[*known.get("address", ()), country_name(known["country"])],
        papers=[f"{what} {value}" for what, value in papers if value],
    )


def _groups(found: invoices.Invoice) -> dict[tuple[str, str | None], str]:
    """What the lines of each project stand under: its name; of somebody below the buyer, whose it is too.

    Who names a project is not who issues the document: a name that cannot be printed has the slug in its place, and one
    that several have has it beside it.
    """
    names: dict[tuple[str, str | None], str] = {}
    for line in found.lines:
        owner = _printed(line.organisation_name, line.organisation)
        project = _printed(line.project_name or "", line.project or "")
        whose = [] if line.organisation == found.buyer and project else [owner]
        names[line.organisation, line.project] = ": ".join([*whose, *([project] if project else [])])
    several = {name for name, count in Counter(names.values()).items() if count > 1}
    return {key: f"{name} ({key[1] or key[0]})" if name in several else name for key, name in names.items()}


def _printed(name: str, slug: str) -> str:
    return name if is_printable(name) else slug
