"""Routes of invoices and their drafts."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.description import Pdf
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.core.errors import Conflict
from gradumen.documents.issued import write_issued
from gradumen.usecases.billing import invoices, issuing
from gradumen.wire.billing.invoices import InvoiceBody, InvoicesBody, IssueDrafts
from gradumen.wire.tasks import TaskBody

router = Router()


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
    found = InvoiceBody.of(invoices.read_invoice(uow, caller, invoice_id=invoice_id))
    if found.number is None:
        raise Conflict("a draft has no PDF yet; issue it first")
    pdf = invoices.find_pdf(uow, caller, invoice_id=invoice_id)
    if pdf is None:
        made = write_issued(found)
        pdf = invoices.keep_pdf(uow, caller, invoice_id=invoice_id, pdf=made)
    headers = {"Content-Disposition": f'inline; filename="{found.number}.pdf"'}
    return Pdf(pdf, headers=headers)
