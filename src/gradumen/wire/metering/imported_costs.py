"""Bodies of costs that suppliers' files state."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.metering.deliveries import SentFile
from gradumen.wire.values import Body, DecimalText, YesOrNo


class CostMeterSet(Body):
    """The meter, as service/meter, that a feed's cost files state costs of; null takes no such files any more.

    ``quantities``: whether what they say was used (ConsumedQuantity) counts as usage too. ``estimates``: whether a day
    that is over and that no file states yet costs, until one does, what the last whole one did. Left out either stays
    as it is.
    """

    meter: str | None
    quantities: YesOrNo | None = None
    estimates: YesOrNo | None = None


class CostMeterBody(Body):
    """The meter that a feed's cost files state costs of, and the currency that it counts in.

    ``quantities``: what they say was used counts as usage too; ``estimates``: what they do not state yet is estimated.
    ``without_times``: rows that came before a release that
    keeps when their charges begin and end, so that what they say was used does not count until they are sent again;
    told when it is set.
    """

    feed: str
    meter: str | None
    currency: str | None
    quantities: bool
    estimates: bool
    without_times: int


class CostFileSent(SentFile):
    """A cost file (FOCUS 1.0 to 1.2: .csv or .parquet, also .gz), its content in base64.

    ``exported_at`` is when the source wrote it, now where it is left out: of what is stated of a billing account and
    day the latest stands. From ``first`` to ``last`` it states all that there is, days without rows have none; left
    out they are the first and last day of its rows. ``confirmed`` takes what loses more than half of a day.
    """

    exported_at: datetime | None = None
    first: date | None = None
    last: date | None = None
    confirmed: YesOrNo = False


class CostTotalBody(Body):
    """What a file's rows come to in a currency."""

    currency: str
    billed: DecimalText
    effective: DecimalText
    rows: int


class CostDeliveryBody(Body):
    """What became of a cost file.

    ``days`` of billing accounts that it states, of which ``replaced`` were stated before, ``estimated`` were estimated
    and ``older`` stand in a later statement already; ``totals`` are of the rows that count now. ``again``: it was here
    already.
    """

    delivery_id: UUID
    file: str
    rows: int
    days: int
    replaced: int
    older: int
    estimated: int
    totals: list[CostTotalBody]
    again: bool


class ImportedCostBody(Body):
    """What an account cost in one of the source's months: of one category, and of one owner or (null) of nobody.

    ``converted`` says whether it can be sold: whether there is an exchange rate where one is needed. ``estimated`` is
    what of ``billed`` no file states yet.
    """

    feed: str
    billing_account: str
    account: str
    category: str
    owner: str | None
    currency: str
    billed: DecimalText
    effective: DecimalText
    estimated: DecimalText
    converted: bool
    rows: int
    first: date
    last: date
