"""Bodies of charges and what they were made from."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.billing.explanations import Explanation
from gradumen.wire.values import Body, DecimalText


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
    """A reading that a charge was made from; quantity in the meter's base unit.

    ``sent``: what it was sent as, where a rule of kind read it: quantity, unit and meter in its sender's words.
    """

    feed: str
    source: str
    event_id: str
    resource: str
    start: datetime
    end: datetime
    quantity: DecimalText
    sent: str | None = None
