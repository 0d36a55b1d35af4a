"""Bodies of rules that say of what kind readings are, and of what is of unknown kind."""

from datetime import date
from decimal import Decimal
from typing import Any

from pydantic import AwareDatetime, Field

from gradumen.core.metering.kinds import MOST_RULES
from gradumen.core.metering.readings import MOST_ATTRIBUTES
from gradumen.wire.metering.ownership_rules import QuantityBody
from gradumen.wire.values import Body, DecimalText, WholeNumber


class KindRuleForm(Body):
    """What started on days of UTC from ``starts_on`` up to ``ends_on``, and fulfils all conditions, is of ``meter``.

    Its attributes are those that were sent under their own names, those ``taken`` from what was sent under another
    (attribute: name), and ``attributes`` as they stand here. ``unit`` stands in place of the one that was sent; the
    quantity counts as often as the number says that was sent as ``times``.

    ``conditions`` are as those of ownership, and on ``unit``, as it was sent.
    """

    name: str
    starts_on: date
    ends_on: date | None = None
    conditions: dict[str, Any]
    meter: str
    attributes: dict[str, str] = Field(default_factory=dict, max_length=MOST_ATTRIBUTES)
    taken: dict[str, str] = Field(default_factory=dict, max_length=MOST_ATTRIBUTES)
    unit: str | None = None
    times: str | None = None


class KindRulesBody(Body):
    """The rules of a seller as they were written; ``order`` has their places as they are looked at.

    The more specific first, of equally specific ones the first: the first that takes a reading counts.
    """

    organisation: str
    version: int
    rules: list[KindRuleForm]
    order: list[int]


class KindRulesSet(Body):
    """The rules as they are to be from now on, over the version that was read."""

    version: WholeNumber
    rules: list[KindRuleForm] = Field(max_length=MOST_RULES)


class KindRulesPreview(Body):
    """Rules that are only looked at."""

    rules: list[KindRuleForm] = Field(max_length=MOST_RULES)


class KindMoveBody(Body):
    """What would be of another kind: of ``before``, a meter or null for unknown, of ``after`` by ``rule``.

    Both are null of what a rule takes that is unknown, and cannot say what it is.

    It was sent as ``sent_meter``; ``why`` says why it would be unknown. ``attributes`` are some that it would have.
    """

    sent_meter: str
    sent_unit: str
    before: str | None
    after: str | None
    rule: str | None
    why: str | None
    resources: int
    readings: int
    first_day: date
    last_day: date
    attributes: list[dict[str, str]]
    quantity: QuantityBody | None


class KindPreviewBody(Body):
    """What would change from a day on, and how many readings would be unknown; ``more``: not all was looked at.

    ``fixed_before`` is the day before which what was measured is archived, and stays as it is.
    """

    from_day: date | None
    fixed_before: date | None
    moves: list[KindMoveBody]
    unknown: int
    more: bool


class ReadingTrial(Body):
    """A reading that is only looked at, by the stored rules or by others."""

    feed: str
    source: str
    account: str | None = None
    resource: str
    meter: str
    unit: str
    quantity: DecimalText = Decimal(1)
    start: AwareDatetime
    held: bool = False
    attributes: dict[str, str] = Field(default_factory=dict, max_length=MOST_ATTRIBUTES)
    rules: list[KindRuleForm] | None = Field(default=None, max_length=MOST_RULES)


class TakingRuleBody(Body):
    """A rule that takes a reading, with how many conditions it has; the first of them counts."""

    name: str
    conditions: int


class ReadingTrialBody(Body):
    """What a reading would be: its kind, by which rule, or why it has none; and whose, by which rule."""

    meter: str | None
    attributes: dict[str, str]
    quantity: QuantityBody | None
    taken_by: list[TakingRuleBody]
    why: str | None
    owner: str | None
    owner_rule: str | None


class KindGuessBody(Body):
    """What something looks like by its words: a meter, the unit that it would be read in where that is another one.

    ``attributes`` are those of the meter's service, each by the name that it was sent under.
    """

    meter: str
    unit: str | None
    attributes: dict[str, str]


class UnknownKindBody(Body):
    """Readings of which nothing says what they are, sent by a feed as one meter and unit, and why nothing does.

    ``guess`` is what they look like, for somebody to confirm; null where they look like nothing that is published.
    """

    feed: str
    feed_name: str
    sent_meter: str
    sent_unit: str
    why: str
    resources: int
    examples: list[str]
    attributes: dict[str, list[str]]
    readings: int
    quantity: DecimalText
    first_day: date
    last_day: date
    guess: KindGuessBody | None = None


class UnknownKindsBody(Body):
    """What of a seller's feeds is of unknown kind in a month of UTC, the most readings first.

    ``attributes`` of each are names that were sent with it, with some of their values. ``waiting``: what came in is
    being read anew.
    """

    organisation: str
    period: str
    items: list[UnknownKindBody]
    more: bool
    waiting: bool
