"""Bodies of what is being written of the catalogue."""

from datetime import datetime
from typing import Any

from gradumen.wire.values import Body


class UnpublishedChangeSave(Body):
    """The form of an unpublished change, complete or not."""

    organisation: str
    form: dict[str, Any]


class UnpublishedChangeBody(Body):
    """A service, plan or rate card being written; ``version`` is its ETag."""

    kind: str
    slug: str
    form: dict[str, Any]
    version: int
    edited_by: str
    edited_at: datetime
