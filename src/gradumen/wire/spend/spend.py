"""Bodies of spend."""

from datetime import date, datetime

from gradumen.wire.billing.explanations import Explanation
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class SpendKeyBody(Body):
    """A value of a dimension; ``id`` is null for all the smaller ones together."""

    id: str | None
    name: str


class SpendCostBody(Body):
    """What something cost, in one currency."""

    currency: str
    amount: DecimalText


class SpendRowBody(Body):
    """What was charged, net of tax, under one value of each chosen dimension.

    ``before`` is that of the range before, ``compared`` the share of ``amount`` that stands against it; both are null
    where days or months are told apart, and on the first day of the range. ``costs`` and ``margin`` are what it cost
    the seller and what it keeps; the margin is null where a cost is in another currency, or where costs are not the
    reader's to see. ``others`` says how many smaller values a row stands for.
    """

    keys: list[SpendKeyBody]
    amount: DecimalText
    compared: DecimalText | None
    before: DecimalText | None
    change_percent: DecimalText | None
    costs: list[SpendCostBody]
    margin: DecimalText | None
    margin_percent: DecimalText | None
    others: int


class SpendCurrencyBody(Body):
    """What was charged in one currency. All but ``total`` and ``rows`` is null where only a part is shown.

    ``estimated`` is what of it is for costs that no supplier's file states yet. What drafts have is told to the seller
    alone; to its buyer it is still to bill.
    """

    currency: str
    total: SpendRowBody
    rows: list[SpendRowBody]
    billed: DecimalText | None
    on_drafts: DecimalText | None
    to_bill: DecimalText | None
    estimated: DecimalText | None


class SpendBody(AsOf):
    """Spend from a day until before another, beside the range before."""

    organisation: str
    organisation_name: str
    side: str
    from_day: date
    to_day: date
    before_from: date
    before_to: date
    by: list[str]
    currencies: list[SpendCurrencyBody]


class _ChargeBody(Body):
    """A charge as it is rated now, billed or not."""

    id: str
    seller: str
    buyer: str
    organisation: str
    organisation_name: str
    subscription: str
    description: str
    period: str
    service_start: datetime
    service_end: datetime
    currency: str
    amount: DecimalText


class SpentChargeBody(_ChargeBody):
    """A charge behind what was asked for: ``amount`` is what of it was asked for, ``whole`` all of it."""

    whole: DecimalText


class SpentChargesBody(AsOf):
    """The charges behind spend, the largest first; ``more`` when the limit cut them off."""

    items: list[SpentChargeBody]
    more: bool


class CurrentChargeBody(_ChargeBody):
    """A charge as it is rated now, billed or not, with its arithmetic; ``amount`` as on a document."""

    rate_card: str
    explanation: Explanation


class LinkComparisonBody(Body):
    """A link's month as its documents, the period so far and spend have it."""

    buyer: str
    currency: str
    documents: DecimalText
    period: DecimalText
    spend: DecimalText
