"""Bodies of trials of rules that say whose usage is."""

from datetime import datetime
from uuid import UUID

from pydantic import Field

from gradumen.core.metering.ownership import MOST_RULES
from gradumen.wire.metering.ownership_rules import OwnershipPreviewBody, OwnershipRuleForm
from gradumen.wire.values import Body, DecimalText


class OwnershipTrialAsked(Body):
    """Rules that are to be tried in the place of those that are."""

    rules: list[OwnershipRuleForm] = Field(max_length=MOST_RULES)


class LinkDifferenceBody(Body):
    """What a customer's charges of a month come to by now, and would by the rules; ``billed`` is what is issued of it.

    Net of tax, of the seller's own link with it. What differs of a month that is billed would stand on its next
    document; ``billed`` is null where nothing is.
    """

    period: str
    buyer: str
    buyer_name: str
    currency: str
    before: DecimalText
    after: DecimalText
    difference: DecimalText
    billed: DecimalText | None


class MonthDifferenceBody(Body):
    """What the charges of all customers whom the rules reach come to in a month; of so many ``links`` they differ."""

    period: str
    currency: str
    before: DecimalText
    after: DecimalText
    difference: DecimalText
    links: int


class NotPricedThenBody(Body):
    """Usage that would not be priced for a customer, which it is not asked for by now; ``reason`` says what lacks."""

    period: str
    buyer: str
    meter: str
    meter_name: str
    reason: str


class OwnershipTrialBody(Body):
    """Rules tried on all that came in; nothing is changed by it.

    In the state of its task: waiting, running, needs a hand (with a problem), done or undone. ``preview`` is what would
    move, with ``seen`` to set the rules by; null until it is done, and in lists. The ``links`` that differ most are
    told, ``more_links`` are not. ``too_much``: so much
    would move that no money is told.
    """

    id: UUID
    organisation: str
    state: str
    problem: str | None
    made: int
    total: int | None
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    preview: OwnershipPreviewBody | None
    months: list[MonthDifferenceBody]
    links: list[LinkDifferenceBody]
    more_links: int
    not_priced: list[NotPricedThenBody]
    too_much: bool
