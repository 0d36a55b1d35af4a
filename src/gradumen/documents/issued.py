"""What an issued document is on paper: its lines under their projects, its parties, words for units and days."""

from collections import Counter

from gradumen.core.errors import Conflict
from gradumen.core.exact import text
from gradumen.core.periods import days_text
from gradumen.core.units import unit_words
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
from gradumen.wire.billing.invoices import InvoiceBody, InvoiceLineBody, PartyBody


def write_issued(found: InvoiceBody) -> bytes:
    """An issued document as PDF.

    Raises:
        Conflict: it is a draft.
    """
    number, issued, due = found.number, found.invoice_date, found.due_date
    if number is None or issued is None or due is None:
        raise Conflict("a draft has no PDF yet; issue it first")
    groups = _groups(found)
    return write_pdf(
        PdfInvoice(
            kind=found.kind,
            number=number,
            seller=_party(found.parties.seller),
            buyer=_party(found.parties.buyer),
            payer=_party(found.parties.payer) if found.parties.payer else None,
            period=found.period,
            invoice_date=issued,
            due_date=due,
            currency=found.currency,
            net=found.net,
            gross=found.gross,
            tax_category=found.tax_category,
            taxes=[PdfTax(each.category, text(each.percent), each.net, each.tax) for each in found.taxes],
            lines=[_line(line, groups[line.organisation, line.project]) for line in found.lines],
        )
    )


def _line(line: InvoiceLineBody, group: str) -> PdfLine:
    return PdfLine(
        group=group,
        description=line.description,
        detail=f"{line.subscription}, corrects {line.corrects}" if line.corrects else line.subscription,
        service_period=days_text(line.service_start, line.service_end),
        quantity=quantity_text(line.quantity),
        unit=unit_words(line.unit, line.quantity),
        average=average_text(line.amount, line.quantity),
        amount=line.amount,
    )


def _party(known: PartyBody) -> PdfParty:
    papers = [("Tax number", known.tax_id), ("Registered", known.registration)]
    return PdfParty(
        name=known.legal_name or known.name,
        address=[*known.address, country_name(known.country)],
        papers=[f"{what} {value}" for what, value in papers if value],
    )


def _groups(found: InvoiceBody) -> dict[tuple[str, str | None], str]:
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
