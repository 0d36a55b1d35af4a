"""The invoice as PDF, in the seller's name."""

import io
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from functools import partial
from xml.sax.saxutils import escape

from babel import Locale
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from gradumen.core import exact
from gradumen.core.billing.documents import TAX_CATEGORIES
from gradumen.core.exact import text
from gradumen.documents.fonts import BODY, STRONG, check_printable
from gradumen.documents.printed_lines import INK, QUIET, PrintedLine, PrintedLines

ACCENT = colors.HexColor("#2f5d3a")
_BODY = ParagraphStyle("body", fontName=BODY, fontSize=8.5, leading=11, textColor=INK)
_RIGHT = ParagraphStyle("right", parent=_BODY, alignment=2)
_SMALL = ParagraphStyle("small", parent=_BODY, fontSize=7.5, leading=10, textColor=QUIET)
_TERMS = ParagraphStyle("terms", parent=_SMALL, leftIndent=-6)
_HEAD = ParagraphStyle("head", parent=_BODY, fontName=STRONG, fontSize=15, leading=19, leftIndent=-6)
_STRONG = ParagraphStyle("strong", parent=_RIGHT, fontName=STRONG, fontSize=10, leading=14)


@dataclass(frozen=True, slots=True)
class PdfLine:
    """A line as it is printed, below the others of its group: the project that it is of.

    ``average`` is what one unit came to, where there is not one alone.
    """

    group: str
    description: str
    detail: str
    service_period: str
    quantity: str
    unit: str
    average: str
    amount: Decimal


@dataclass(frozen=True, slots=True)
class PdfTax:
    """The tax of lines of one category and percentage."""

    category: str
    percent: str
    net: Decimal
    tax: Decimal


@dataclass(frozen=True, slots=True)
class PdfParty:
    """A party: its name, the lines of its address, and what its papers say."""

    name: str
    address: Sequence[str]
    papers: Sequence[str]

    @property
    def texts(self) -> list[str]:
        """All that is printed of it."""
        return [self.name, *self.address, *self.papers]


@dataclass(frozen=True, slots=True)
class PdfInvoice:
    """What a page shows of an invoice or credit note."""

    kind: str
    number: str
    seller: PdfParty
    buyer: PdfParty
    payer: PdfParty | None
    period: str
    invoice_date: date
    due_date: date
    currency: str
    net: Decimal
    gross: Decimal
    tax_category: str
    taxes: Sequence[PdfTax]
    lines: Sequence[PdfLine]


money = partial(exact.money, apart="\u00a0")
"""An amount as the document's font can draw it."""


def quantity_text(quantity: Decimal) -> str:
    """A quantity for people: thousands by narrow space, no trailing zeros, a true minus.

    >>> quantity_text(Decimal("-1234.50")) == "\u22121\u00a0234.5"
    True
    """
    whole, _, decimals = text(abs(quantity)).partition(".")
    shown = f"{int(whole):,}".replace(",", "\u00a0") + (f".{decimals}" if decimals else "")
    return f"\u2212{shown}" if quantity < 0 else shown


def average_text(amount: Decimal, quantity: Decimal) -> str:
    """What one unit came to, to four places or three digits that say something; nothing where it is one, or none.

    >>> average_text(Decimal("45.13"), Decimal(11728)), average_text(Decimal(79), Decimal(1))
    ('0.00385', '')
    """
    if quantity in (0, 1) or not amount:
        return ""
    average = Fraction(amount) / Fraction(quantity)
    places = 4
    while places < exact.AMOUNT_PLACES and abs(average) * 10**places < 100:
        places += 1
    return quantity_text(exact.round_half_up(average, places))


def country_name(code: str) -> str:
    """What a country is called; its code where it has no name.

    >>> country_name("IE")
    'Ireland'
    """
    return str(Locale("en").territories.get(code, code))


def write_pdf(invoice: PdfInvoice) -> bytes:
    """The document as PDF, the same bytes for the same document.

    Raises:
        NotPrintable: a text has letters that the typeface lacks.
    """
    texts = {each for line in invoice.lines for each in (line.group, line.description, line.detail, line.unit)}
    parties = [each for each in (invoice.seller, invoice.buyer, invoice.payer) if each]
    check_printable(*(said for each in parties for said in each.texts), *sorted(texts))
    out = io.BytesIO()
    title = "Credit note" if invoice.kind == "credit_note" else "Invoice"
    document = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=20 * mm,
        rightMargin=20 * mm,
        topMargin=24 * mm,
        bottomMargin=22 * mm,
        title=f"{title} {invoice.number}",
        author=invoice.seller.name,
        invariant=1,
    )
    story = [
        Paragraph(f"{title} {escape(invoice.number)}", _HEAD),
        Spacer(1, 5 * mm),
        _parties(invoice),
        Spacer(1, 7 * mm),
        *_usual_period(invoice),
        PrintedLines(_printed(invoice), _head(invoice), document.width),
        Spacer(1, 4 * mm),
        _totals(invoice, document.width),
        Spacer(1, 6 * mm),
        Paragraph(_terms(invoice), _TERMS),
    ]

    def frame(canvas: Canvas, _: object) -> None:
        canvas.saveState()
        canvas.setStrokeColor(ACCENT)
        canvas.setLineWidth(1.6)
        canvas.line(20 * mm, A4[1] - 17 * mm, A4[0] - 20 * mm, A4[1] - 17 * mm)
        canvas.setFillColor(INK)
        canvas.setFont(STRONG, 10)
        canvas.drawString(20 * mm, A4[1] - 14 * mm, invoice.seller.name)
        canvas.setFillColor(QUIET)
        canvas.setFont(BODY, 7.5)
        canvas.drawString(20 * mm, 12 * mm, f"{invoice.seller.name}   {invoice.number}")
        canvas.drawRightString(A4[0] - 20 * mm, 12 * mm, f"Page {canvas.getPageNumber()}")
        canvas.restoreState()

    document.build(story, onFirstPage=frame, onLaterPages=frame)
    return out.getvalue()


def _parties(invoice: PdfInvoice) -> Table:
    facts = [
        ("Invoice date", invoice.invoice_date.isoformat()),
        ("Billing period", invoice.period),
        ("Due", invoice.due_date.isoformat()),
        ("Currency", invoice.currency),
    ]
    left: Flowable | list[Flowable] = _party("To", invoice.buyer)
    if invoice.payer is not None:
        left = [_party("To be paid by", invoice.payer), Spacer(1, 2 * mm), _party("For", invoice.buyer)]
    middle = _party("From", invoice.seller)
    right = Table([[Paragraph(name, _SMALL), Paragraph(value, _RIGHT)] for name, value in facts], [26 * mm, 28 * mm])
    right.setStyle(TableStyle([("TOPPADDING", (0, 0), (-1, -1), 0), ("BOTTOMPADDING", (0, 0), (-1, -1), 1)]))
    table = Table([[left, middle, right]], [58 * mm, 58 * mm, 54 * mm])
    table.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    return table


def _party(what: str, party: PdfParty) -> Paragraph:
    said = "<br/>".join(
        [
            f"<font color='#5f6b64'>{what}</font>",
            f"<b>{escape(party.name)}</b>",
            *map(escape, party.address),
            *(f"<font color='#5f6b64'>{escape(each)}</font>" for each in party.papers),
        ]
    )
    return Paragraph(said, _BODY)


def _head(invoice: PdfInvoice) -> tuple[str, ...]:
    return "Service", "Quantity", "Unit", "On average", f"Amount, {invoice.currency}"


def _usual(lines: Sequence[PdfLine]) -> str | None:
    """The service period of most lines, where one is; it is said once."""
    counted = Counter(line.service_period for line in lines).most_common(1)
    return counted[0][0] if counted and counted[0][1] * 2 > len(lines) else None


def _usual_period(invoice: PdfInvoice) -> list[Flowable]:
    usual = _usual(invoice.lines)
    return [Paragraph(f"Service period {usual}, unless said below a line.", _TERMS), Spacer(1, 2 * mm)] if usual else []


def _printed(invoice: PdfInvoice) -> list[PrintedLine]:
    """Lines below the name of their group; of several groups each with what it comes to."""
    groups: dict[str, list[PdfLine]] = {}
    for line in invoice.lines:
        groups.setdefault(line.group, []).append(line)
    usual = _usual(invoice.lines)
    printed = []
    for name, lines in groups.items():
        amount = money(sum((line.amount for line in lines), Decimal(0)), invoice.currency) if len(groups) > 1 else ""
        printed.append(PrintedLine((name, "", "", "", amount), "", heads=True))
        for line in lines:
            amount = money(line.amount, invoice.currency)
            cells = (line.description, line.quantity, line.unit, line.average, amount)
            own = [] if line.service_period == usual else [line.service_period]
            printed.append(PrintedLine(cells, ", ".join([*([line.detail] if line.detail else []), *own])))
    return printed


def _totals(invoice: PdfInvoice, width: float) -> Table:
    rows = [
        [Paragraph("Net", _RIGHT), Paragraph(money(invoice.net, invoice.currency), _RIGHT)],
        *(
            [Paragraph(_tax(each, invoice), _RIGHT), Paragraph(money(each.tax, invoice.currency), _RIGHT)]
            for each in invoice.taxes
        ),
        [
            Paragraph(f"Total {invoice.currency}", _STRONG),
            Paragraph(money(invoice.gross, invoice.currency), _STRONG),
        ],
    ]
    table = Table(rows, [width * 0.78, width * 0.22])
    table.setStyle(
        TableStyle(
            [
                ("RIGHTPADDING", (-1, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 1),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
                ("LINEABOVE", (1, -1), (1, -1), 0.8, INK),
            ]
        )
    )
    return table


def _tax(tax: PdfTax, invoice: PdfInvoice) -> str:
    """Of several the net that each is on, too."""
    on = f" on {money(tax.net, invoice.currency)}" if len(invoice.taxes) > 1 else ""
    return f"Tax {tax.percent} %{on} ({TAX_CATEGORIES[tax.category]})"


def _terms(invoice: PdfInvoice) -> str:
    if invoice.kind == "credit_note":
        return "This amount is credited to your account."
    notes = {"AE": " Reverse charge: the recipient accounts for the tax.", "O": " Outside the scope of tax."}
    return f"Please pay by {invoice.due_date.isoformat()}, quoting {escape(invoice.number)}." + notes.get(
        invoice.tax_category, ""
    )
