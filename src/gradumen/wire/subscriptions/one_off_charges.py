"""Bodies of one-off charges."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.values import Body, DecimalText


class OneOffChargeCreate(Body):
    """An amount to charge by hand, on a subscription of a buyer's (or of somebody below it)."""

    seller: str
    organisation: str
    subscription: str
    day: date
    description: str
    amount: str
    currency: str


class OneOffChargeBody(Body):
    """A one-off charge."""

    id: UUID
    seller: str
    buyer: str
    organisation: str
    organisation_name: str
    subscription: str
    day: date
    description: str
    amount: DecimalText
    currency: str
    entered_by: str
    entered_at: datetime
    withdrawn_at: datetime | None
