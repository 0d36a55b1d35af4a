"""Bodies of what comes in by feeds."""

from datetime import datetime

from gradumen.core.metering.feed_arrivals import Pace
from gradumen.wire.values import Body


class FeedArrivalBody(Body):
    """What comes in by a feed, beside what usually does in the two weeks before.

    Something comes ``every_hours`` hours; it is ``late`` when nothing did for one and a half times as long. ``items``
    were taken in in the last 24 hours, ``usual_items`` in the median of the days before; less than half of that, or
    more than twice, is told. ``here_until`` is when the newest of it begins, or the last day of costs ends, and
    ``hours_behind`` how long ago that is. ``refused`` counts the items that were refused in these two weeks. Null is
    not known.
    """

    feed: str
    feed_name: str
    pace: Pace
    last_delivery: datetime | None
    every_hours: int | None
    here_until: datetime | None
    hours_behind: int | None
    items: int
    usual_items: int | None
    refused: int
