"""Bodies of what became of all that came in by a feed."""

from datetime import datetime

from pydantic import Field

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class FeedMeterBody(Body):
    """What became of what a feed measured of a meter, in base units: ``measured`` is the sum of the next eleven.

    Readings are those that begin in the month: those that stand, and apart from them those that later ones replaced and
    those that were taken back. ``nobodys`` is owned by nobody, ``own_use`` the seller's own, ``elsewhere`` used where
    the seller does not sell it, ``gave_way`` left to a feed that measured it first, ``twice`` measured by another feed
    too, to which this one does not give way; of the rest some is ``charged``, ``covered`` by allowances, only
    ``watched``, charged ``together`` with the composite that it is of or as its components, priced by no rate
    (``no_rate``), or taken by no subscription. ``difference`` is 0. All are null where usage is sampled, and the
    difference where effective cost or begun time is sold: charges are no sum.
    Of the readings that stand those that rules of ownership divide among several are ``divided``; ``inferred`` counts
    resources that ended only because a later list misses them. ``open`` says what somebody should look at.
    """

    meter: str
    meter_name: str
    unit: str
    readings: int
    replaced: int
    taken_back: int
    inferred: int
    divided: int
    measured: DecimalText | None
    nobodys: DecimalText | None
    own_use: DecimalText | None
    elsewhere: DecimalText | None
    gave_way: DecimalText | None
    twice: DecimalText | None
    charged: DecimalText | None
    covered: DecimalText | None
    watched: DecimalText | None
    together: DecimalText | None
    no_rate: DecimalText | None
    no_subscription: DecimalText | None
    difference: DecimalText | None
    open: list[str]


class FeedCostBody(Body):
    """Billed costs that a feed's files say of a month, in a currency: ``billed`` is the sum of the next three.

    ``tax`` is the suppliers', which is excluded; ``owned`` is somebody's, ``nobodys`` nobody's. ``no_exchange_rate`` is
    what of both no rate puts into the currency in which it is sold, and ``divided`` what of both rules of ownership
    divide among several, of the days of the month. ``estimated`` is what of ``billed`` no file states yet; ``rows``
    counts what files state, and ``replaced`` of it what no longer stands.
    """

    currency: str
    rows: int
    replaced: int
    billed: DecimalText
    estimated: DecimalText
    tax: DecimalText
    owned: DecimalText
    nobodys: DecimalText
    divided: DecimalText
    no_exchange_rate: DecimalText
    difference: DecimalText
    open: list[str]


class FeedSignOffBody(Body):
    """That somebody signed a balance off, with the reason where something was open; ``changed``: it is another now."""

    by: str
    at: datetime
    is_open: bool
    reason: str | None
    changed: bool


class FeedBalanceBody(Body):
    """A feed's month; ``refused`` counts the items that were refused of what came in it.

    ``unknown`` are readings that began in the month and of which nothing says of which meter they are.
    """

    feed: str
    feed_name: str
    refused: int
    unknown: int
    meters: list[FeedMeterBody]
    costs: list[FeedCostBody]
    open: list[str]
    sign_off: FeedSignOffBody | None


class FeedBalancesBody(AsOf):
    """A month of a seller's feeds, in its billing zone; once it is ``over`` it can be signed off."""

    organisation: str
    period: str
    over: bool
    items: list[FeedBalanceBody]


class FeedSignOff(Body):
    """Sign a feed's month off; what is open needs a reason."""

    reason: str | None = Field(default=None, max_length=500)
