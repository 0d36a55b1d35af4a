"""Bodies of first readings."""

from datetime import date

from gradumen.wire.values import Body


class FirstReadingBody(Body):
    """An account in a cloud, and the first UTC day on which something was measured in it; null is not yet.

    Unless it is ``metered`` nothing will: its cloud's usage comes by no feed.
    """

    cloud_name: str
    account: str
    metered: bool
    first_day: date | None
