"""Body of how long a kind of data is kept."""

from gradumen.wire.values import Body


class RetentionBody(Body):
    """A kind of data; ``days`` is after how many it is forgotten, 0 at once and null never.

    ``since`` says since when that runs, or why it is not forgotten.
    """

    kind: str
    days: int | None
    since: str
