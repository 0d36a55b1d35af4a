"""Bodies of rules that say whose usage is, and of usage that is nobody's."""

from datetime import date
from typing import Any

from pydantic import Field

from gradumen.core.metering.ownership import MOST_RULES, MOST_SHARES
from gradumen.wire.values import Body, DecimalText, WholeNumber


class ByUsageForm(Body):
    """What projects used of a meter on a UTC day, by which that day is divided once it is over.

    It counts as measured by ``feeds`` (paths) of the seller, else by all of these and of the sellers above it; of the
    projects ``among`` (organisation/project), else of all of whom the seller sells to. ``whole`` is what all would
    come to, a level or what flows in a day, in ``unit`` (else that of the meter's readings).
    """

    meter: str
    feeds: list[str] = Field(default=[], max_length=MOST_SHARES)
    among: list[str] = Field(default=[], max_length=MOST_SHARES)
    whole: DecimalText | None = None
    unit: str | None = None


class OwnershipRuleForm(Body):
    """What started on days of UTC from ``starts_on`` up to ``ends_on``, and fulfils all conditions, is ``owner``'s.

    ``owner`` is organisation/project. In its place ``shares`` divides it among several of these, in proportion to the
    number beside each; or ``by_usage`` does, in proportion to what each used; or the value of ``by`` says whose it is
    (account, source, resource or feed, or ``where.NAME`` of an attribute): by the table ``owners``, else it is the path
    itself. A ``remainder`` (organisation/project) has what shares lack to 100, or what usage lacks to its whole;
    without a whole it has the days on which nobody used any.

    ``conditions`` are on feed, account, source, resource, meter, and ``where`` on attributes: a value, a list of
    values, ``{"prefix": text}``, ``{"contains": text}``, ``{"pattern": expression}`` of the whole text,
    ``{"at-least": number}`` or ``{"present": true}``. They hold together; of the lists ``any`` and ``none``, of such
    conditions each, one holds too, or none.
    """

    name: str
    owner: str | None = None
    shares: dict[str, DecimalText] | None = None
    by_usage: ByUsageForm | None = None
    remainder: str | None = None
    by: str | None = None
    owners: dict[str, str] | None = None
    starts_on: date
    ends_on: date | None = None
    conditions: dict[str, Any]


class OwnershipRulesBody(Body):
    """The rules of a seller in the order in which they are looked at: the first that takes a reading counts."""

    organisation: str
    version: int
    rules: list[OwnershipRuleForm]


class OwnershipRulesSet(Body):
    """The rules as they are to be from now on, over the version that was read.

    With ``seen`` of a preview they are set only while the same resources would go from whom to whom.
    """

    version: WholeNumber
    rules: list[OwnershipRuleForm] = Field(max_length=MOST_RULES)
    seen: str | None = Field(default=None, max_length=80)


class OwnershipRulesPreview(Body):
    """Rules that are only looked at."""

    rules: list[OwnershipRuleForm] = Field(max_length=MOST_RULES)


class QuantityBody(Body):
    """So much usage of a meter, in its base unit."""

    meter: str
    meter_name: str
    unit: str
    quantity: DecimalText


class CostBody(Body):
    """So much billed cost."""

    currency: str
    billed: DecimalText


class OwnershipMoveBody(Body):
    """What would be somebody else's; null is nobody. ``rule`` would say so, null where none does any more."""

    before: str | None
    after: str | None
    rule: str | None
    resources: int
    readings: int
    first_day: date
    last_day: date
    quantities: list[QuantityBody]
    costs: list[CostBody]


class OwnershipPreviewBody(Body):
    """What would change from a day on, and what would still be nobody's; ``more``: not all could be looked at.

    ``organisations`` are those whose something is or would be, as far as rules name them.

    ``fixed_before`` is the day before which what was measured is archived, and stays as it is. ``seen`` stands for what
    came in until then and what of it goes from whom to whom.
    """

    from_day: date | None
    fixed_before: date | None
    moves: list[OwnershipMoveBody]
    organisations: list[str]
    nobodys: int
    more: bool
    seen: str | None


class UnownedUsageBody(Body):
    """Usage that names no owner and that no rule takes, of one feed, account and source.

    ``costs`` are what its supplier's cost files say it was billed, without the supplier's tax; for who may read money.
    """

    feed: str
    feed_name: str
    account: str | None
    source: str
    resources: int
    examples: list[str]
    readings: int
    first_day: date
    last_day: date
    quantities: list[QuantityBody]
    costs: list[CostBody]


class FeedReadingsBody(Body):
    """The readings of a feed that started in a month, as far as usage was made of them: somebody's and nobody's.

    Those that wholly ``gave_way`` to another feed are neither.
    """

    feed: str
    feed_name: str
    readings: int
    owned: int
    nobodys: int
    gave_way: int


class UnownedUsagesBody(Body):
    """What of a seller's feeds is nobody's in a month of UTC, the most readings first.

    ``waiting``: usage is being made by changed rules, or of readings that came in.
    """

    organisation: str
    period: str
    items: list[UnownedUsageBody]
    feeds: list[FeedReadingsBody]
    more: bool
    waiting: bool
