"""Bodies of requests for other limits."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.values import Body, DecimalText


class QuotaRequestCreate(Body):
    """The limit that an organisation wants, in the measure's unit, and why."""

    measure: str
    limit: DecimalText
    reason: str


class QuotaRequestAnswer(Body):
    """The limit that it gets, which may be less than was asked; null refuses, which needs a reason."""

    limit: DecimalText | None
    reason: str | None = None


class QuotaRequestBody(Body):
    """A request: open, granted, partly granted, refused or withdrawn.

    ``present`` is the limit now, null for none; ``answered`` the limit that was given, ``answer`` what was said to it.
    """

    id: UUID
    organisation: str
    organisation_name: str
    seller: str
    seller_name: str
    measure: str
    unit: str
    asked: DecimalText
    present: DecimalText | None
    reason: str
    state: str
    answered: DecimalText | None
    answer: str | None
    asked_by: str
    asked_at: datetime
    answered_at: datetime | None
