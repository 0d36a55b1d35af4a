"""Bodies of invoices and their lines."""

from datetime import date, datetime
from uuid import UUID

from pydantic import Field

from gradumen.wire.values import Body, DecimalText, Page


class LineBody(Body):
    """A line; ``amount`` in the currency's minor unit, ``charge_id`` leads to its explanation once drafted."""

    organisation: str
    subscription: str
    project: str | None
    service: str
    rate: str
    rate_card_version: int
    description: str
    quantity: DecimalText
    unit: str
    amount: DecimalText
    service_start: datetime
    service_end: datetime
    charge_id: UUID | None


class PartyBody(Body):
    """A party as it was known when the document was issued; ``address`` has the lines above its country."""

    slug: str
    name: str
    country: str
    legal_name: str | None = None
    registration: str | None = None
    tax_id: str | None = None
    address: list[str] = Field(default_factory=list)


class PartiesBody(Body):
    """Who sells, who buys, and who pays in the buyer's place."""

    seller: PartyBody
    buyer: PartyBody
    payer: PartyBody | None = None


class InvoiceLineBody(LineBody):
    """A line of a document, with the tax on it; ``corrects`` is the number of the document that it gives back."""

    organisation_name: str
    project_name: str | None
    tax_category: str
    tax_percent: DecimalText
    corrects: str | None


class TaxBody(Body):
    """What a document's lines of one category and percentage come to, and their tax, rounded once."""

    category: str
    percent: DecimalText
    net: DecimalText
    tax: DecimalText


class IssueDrafts(Body):
    """The drafts of a seller to issue; null is all of them."""

    invoices: list[UUID] | None = None


class InvoiceBody(Body):
    """A draft or issued document; lists leave ``lines`` and ``taxes`` empty.

    ``late`` is what of ``net`` is of earlier periods, ``before`` what was issued on the same link for the one before,
    null for nothing. ``tax_category`` and ``tax_percent`` are those of what it charges anew; what it gives back has the
    tax of the documents that charged it.
    """

    id: UUID
    state: str
    kind: str
    number: str | None
    seller: str
    buyer: str
    parties: PartiesBody
    period: str
    currency: str
    net: DecimalText
    tax: DecimalText
    gross: DecimalText
    tax_category: str
    tax_percent: DecimalText
    invoice_date: date | None
    due_date: date | None
    line_count: int
    late: DecimalText
    before: DecimalText | None
    taxes: list[TaxBody]
    lines: list[InvoiceLineBody]


class InvoiceSumsBody(Body):
    """What all documents of a list come to in a currency, those of its other pages too."""

    currency: str
    count: int
    net: DecimalText
    gross: DecimalText


class InvoicesBody(Page[InvoiceBody]):
    """One page of a list of documents, with the sums of the whole list."""

    sums: list[InvoiceSumsBody]
