"""Bodies of the months of readings that are archived."""

from uuid import UUID

from gradumen.wire.values import Body


class ArchivedMonthBody(Body):
    """A month of UTC: how many of its readings are archived, and about how many bytes they all take in the database.

    ``packed`` are those of archived readings, ``in_rows`` of the others.
    """

    month: str
    archived: int
    packed: int
    in_rows: int


class ArchivedMonthsBody(Body):
    """Which readings are archived: what was measured before a day.

    ``before`` is the first month that is not archived, or null; ``latest`` the last that it can be now. ``task`` is of
    what is under way, which is to come to ``wanted``.
    """

    before: str | None
    latest: str
    task: UUID | None
    wanted: str | None
    items: list[ArchivedMonthBody]


class ArchivedMonthsSet(Body):
    """From when on readings are to stand in rows: ``before`` is the first such month, null all of them."""

    before: str | None
