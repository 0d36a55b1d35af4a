"""Metered use above a limit: it cannot be refused, so it is told and dealt with by somebody."""

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum

from gradumen.core.exact import round_half_up
from gradumen.core.quotas.measures import Measure, amount_words, of_words


class Crossed(StrEnum):
    """Which limit is exceeded."""

    SOFT = "soft limit"
    LIMIT = "limit"


class BreachState(StrEnum):
    """How far a breach has come."""

    GRACE = "in grace"
    """Above the soft limit, for as long as that may be."""
    OPEN = "open"
    OVER = "over"
    """The use is within the limits again, or there is no such limit any more."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What may be used: never above ``limit``, above ``soft`` for some days; None is no such limit."""

    limit: Decimal | None
    soft: Decimal | None = None
    grace_days: int = 0

    def crossed(self, used: Decimal) -> Crossed | None:
        """Which limit a use exceeds; just as much is allowed.

        >>> limits = Limits(Decimal(100), Decimal(80), 7)
        >>> [limits.crossed(Decimal(each)) for each in (80, 81, 101)]
        [None, <Crossed.SOFT: 'soft limit'>, <Crossed.LIMIT: 'limit'>]
        """
        if self.limit is not None and used > self.limit:
            return Crossed.LIMIT
        return Crossed.SOFT if self.soft is not None and used > self.soft else None

    def of(self, crossed: Crossed) -> Decimal:
        """The limit that is exceeded."""
        found = self.limit if crossed is Crossed.LIMIT else self.soft
        assert found is not None
        return found


def breach_state(grace_until: datetime | None, closed_at: datetime | None, now: datetime) -> BreachState:
    """The state of a breach; ``grace_until`` is there where it is of a soft limit."""
    if closed_at is not None:
        return BreachState.OVER
    return BreachState.GRACE if grace_until is not None and now < grace_until else BreachState.OPEN


def above_words(who: str, measure: Measure, used: Decimal, crossed: str, limit: Decimal) -> str:
    """Who uses how much, and what its limit is; a use is told to a decimal, unless that hides that it is more.

    >>> above_words("Quillstone", Measure.EGRESS, Decimal("487.753643"), Crossed.LIMIT, Decimal(450))
    'Quillstone uses 487.8 GiB of egress a month, its limit is 450 GiB'
    >>> above_words("Kestrel Row", Measure.PROCESSORS, Decimal("200.01"), Crossed.SOFT, Decimal(200))
    'Kestrel Row uses 200.01 vCPU, its soft limit is 200 vCPU'
    """
    told = round_half_up(used, 1)
    amount = amount_words(measure, told if told > limit else used)
    return f"{who} uses {amount}{of_words(measure)}, its {crossed} is {amount_words(measure, limit)}"
