"""Places in lists that are read page by page."""

from datetime import datetime
from uuid import UUID

from gradumen.core.errors import Invalid


def moment_place(after: str | None) -> tuple[datetime, UUID] | None:
    """The last one seen of a list by time, written ``time|id``; None begins at its start.

    Raises:
        Invalid: it is no such place.
    """
    if after is None:
        return None
    at, _, identity = after.partition("|")
    try:
        moment = datetime.fromisoformat(at)
        if moment.tzinfo is None:
            raise ValueError
        return moment, UUID(identity)
    except ValueError:
        raise Invalid(
            f"after '{after[:60]}' is no place in this list; take it from the page before", field="after", value=after
        ) from None
