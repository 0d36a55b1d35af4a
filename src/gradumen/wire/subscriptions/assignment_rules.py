"""Bodies of assignment rules."""

from datetime import date
from typing import Any

from gradumen.wire.values import Body, WholeNumber


class AssignmentRuleSet(Body):
    """What falls to a subscription, from a day on; rules of lower position are looked at first."""

    subscription: str
    position: WholeNumber = 100
    starts_on: date
    ends_on: date | None = None
    conditions: dict[str, Any]


class AssignmentRuleBody(Body):
    """A rule of an organisation."""

    organisation: str
    slug: str
    subscription: str
    position: int
    starts_on: date
    ends_on: date | None
    conditions: dict[str, Any]
