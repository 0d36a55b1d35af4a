"""Bodies of feeds, deliveries and readings."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from gradumen.wire.values import Body


class FeedCreate(Body):
    """A way in for usage."""

    slug: str
    name: str


class FeedBody(Body):
    """A feed; ``path`` is organisation/feed, ``senders`` may send beside its administrators."""

    path: str
    name: str
    senders: list[str]


class SenderCreate(Body):
    """A user who may send to a feed."""

    feed: str
    email: str


class DeliveryBody(Body):
    """A batch, or a ``file``, that came in.

    ``taken_back_at`` is when it was taken back whole; ``takes_back`` is the delivery that this one takes back.
    """

    id: UUID
    received_at: datetime
    accepted: int
    known: int
    refused: int
    first_refusal: str | None
    file: str | None
    taken_back_at: datetime | None
    takes_back: UUID | None


class OutcomeBody(Body):
    """What became of one item: accepted, known (already), or refused with a reason."""

    id: str
    status: Literal["accepted", "known", "refused"]
    reason: str | None = None
    field: str | None = None


class DeliveryOutcomeBody(Body):
    """What became of a batch, item by item in the order sent."""

    delivery_id: UUID
    accepted: int
    known: int
    refused: int
    outcomes: list[OutcomeBody]
