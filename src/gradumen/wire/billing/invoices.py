"""Bodies of invoices and their lines."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.values import Body, DecimalText


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
    """A party as it was named when the document was made."""

    slug: str
    name: str
    country: str


class PartiesBody(Body):
    """Who sells and who buys."""

    seller: PartyBody
    buyer: PartyBody


class IssueDrafts(Body):
    """The drafts of a seller to issue; null is all of them."""

    invoices: list[UUID] | None = None


class InvoiceBody(Body):
    """A draft or issued document; lists leave ``lines`` empty."""

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
    lines: list[LineBody]
