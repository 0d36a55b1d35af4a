"""Bodies of the period so far, bill runs, invoices, explanations and tax rates."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.billing.explanations import Explanation
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


class DayBody(Body):
    """The exact amount of a day."""

    day: date
    amount: DecimalText


class NotPricedBody(Body):
    """Usage that nothing prices, with the reason, in the meter's base unit."""

    meter: str
    organisation: str
    quantity: DecimalText
    reason: str


class LinkPeriodBody(Body):
    """One link's period."""

    seller: str
    seller_name: str
    buyer: str
    buyer_name: str
    currency: str
    period: str
    start: datetime
    end: datetime
    net: DecimalText
    lines: list[LineBody]
    days: list[DayBody]
    not_priced: list[NotPricedBody]


class PeriodSoFarBody(Body):
    """The period so far of an organisation: one entry per link that the caller may see."""

    organisation: str
    links: list[LinkPeriodBody]


class BillRunCreate(Body):
    """The period of a seller to close."""

    organisation: str
    period: str


class BillRunBody(Body):
    """A bill run: waiting, running, finished, or failed with a problem."""

    id: UUID
    seller: str
    period: str
    state: str
    problem: str | None
    started_at: datetime
    finished_at: datetime | None
    drafts: int
    issued: int


class RatingDifferenceBody(Body):
    """A buyer's issued month that today's rules price differently; all net of tax, nothing is billed by it."""

    period: str
    buyer: str
    buyer_name: str
    currency: str
    billed: DecimalText
    today: DecimalText
    difference: DecimalText


class PartyBody(Body):
    """A party as it was named when the document was made."""

    slug: str
    name: str
    country: str


class PartiesBody(Body):
    """Who sells and who buys."""

    seller: PartyBody
    buyer: PartyBody


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


class ChargePartBody(Body):
    """A charge's share of a project, resource and local day; quantity in base units."""

    project: str | None
    resource: str | None
    day: date
    quantity: DecimalText
    amount: DecimalText


class ChargeBody(Body):
    """Why an amount is what it is: version, rate, quantity, arithmetic block by block, parts."""

    id: UUID
    rate_card: str
    currency: str
    quantity: DecimalText
    amount: DecimalText
    service_start: datetime
    service_end: datetime
    evidence: str
    explanation: Explanation
    parts: list[ChargePartBody]


class ReadingBody(Body):
    """A reading that a charge was made from; quantity in the meter's base unit."""

    feed: str
    source: str
    event_id: str
    resource: str
    start: datetime
    end: datetime
    quantity: DecimalText


class TaxRateBody(Body):
    """A seller's tax on buyers of a country, from a day on."""

    country: str
    starts_on: date
    category: str
    percent: DecimalText
