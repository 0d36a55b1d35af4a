"""Bodies of what needs somebody."""

from datetime import datetime
from enum import StrEnum

from gradumen.wire.values import Body


class Weight(StrEnum):
    """How soon somebody should look."""

    FAILED = "failed"
    LOOK = "look"
    NOTE = "note"


class ToDoBody(Body):
    """Something that needs somebody, in a sentence, with more to it in another.

    ``kind`` says what it is about: task, charges, feed, refused readings, unowned, unknown kind, drafts, to bill, not
    priced, price change, quota, quota request, pool, hosts, order, messages, or invoice; ``subject`` which one, by id,
    slug or month.
    """

    kind: str
    weight: Weight
    subject: str
    title: str
    detail: str
    since: datetime | None = None
