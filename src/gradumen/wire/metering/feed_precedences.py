"""Bodies of which feed gives way to which, and of what both measured."""

from datetime import date
from typing import Annotated

from pydantic import Field

from gradumen.core.metering.feed_precedences import MOST_BEFORE
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class FeedFirst(Body):
    """A feed (``organisation/feed``) to which another gives way, from a UTC day on."""

    feed: str
    starts_on: date


class FeedPrecedencesSet(Body):
    """The feeds to which one gives way; none of them ends it."""

    to: Annotated[list[FeedFirst], Field(max_length=MOST_BEFORE)]


class FeedPrecedencesBody(Body):
    """A feed that gives way: in hours in which another measured the same resource and meter, that one counts.

    ``fixed_before`` is the day before which what was measured is archived, and counts as it did.
    """

    feed: str
    to: list[FeedFirst]
    fixed_before: date | None


class ComparedResourceBody(Body):
    """What two feeds measured of a resource in the hours in which one gave way, in base units."""

    resource: str
    measured: DecimalText
    counted: DecimalText
    difference: DecimalText


class ComparedMeterBody(Body):
    """What a feed measured where it gave way, and what counts in its place, of a meter, in base units.

    Of so many ``resources``, in ``differing`` ones the two are not equal; ``examples`` are those that differ most.
    """

    meter: str
    meter_name: str
    unit: str
    resources: int
    differing: int
    measured: DecimalText
    counted: DecimalText
    difference: DecimalText
    examples: list[ComparedResourceBody]


class FeedComparisonBody(AsOf):
    """A month of a feed, in its seller's zone, beside the feeds to which it gives way."""

    feed: str
    period: str
    meters: list[ComparedMeterBody]
