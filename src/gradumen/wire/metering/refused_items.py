"""Bodies of what was refused."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.values import Body


class RefusedItemBody(Body):
    """An item of a delivery that was refused, with the reason and the ``field`` that it is of.

    ``position`` is its place in the delivery, from 0; ``sent`` what was sent, as JSON: a reading, an event or
    a row of a file, cut off at 4000 signs; null where that is not known.
    """

    delivery: UUID
    received_at: datetime
    file: str | None
    position: int
    id: str
    field: str | None
    reason: str
    sent: str | None
