"""Whose usage is that names no owner: rules over where it came from and what it is, in order, each for its days."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from gradumen.core.metering.told_conditions import Conditions

FACTS = ("feed", "account", "source", "resource", "meter")
"""What a condition can be on, beside attributes."""
WHERE = "where."
"""Before the name of an attribute whose value names the owner."""
MOST_OWNERS = 5000
"""Values of a table that gives each its owner."""
MOST_RULES = 500
MOST_SHARES = 50
"""Owners among whom a rule divides."""
SHARE_PLACES, LARGEST_SHARE = 6, 10**9
"""Decimal places of a share, and what it is below."""
Shares = tuple[tuple[int, int], ...]
"""Projects by number, each with its share in proportion to the others'; of one alone, it has everything."""
NOBODY = 0
"""In place of a project's number, where a reading names no owner and no rule finds one."""


@dataclass(frozen=True, slots=True)
class OwnershipRule:
    """From a day of UTC up to (not including) another, what fulfils all conditions is of projects; None is no end.

    Among several projects it is divided by their shares. In place of shares the value of a fact or attribute (``by``)
    can say whose it is: by a table of ``owners`` (projects by number), else itself.
    """

    name: str
    shares: Shares
    starts_on: date
    ends_on: date | None
    conditions: Conditions
    by: str | None = None
    owners: Mapping[str, int] | None = field(default=None, hash=False)

    def value_of(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> str | None:
        """What of a reading says whose it is, where the rule goes by that."""
        if self.by is None:
            return None
        return attributes.get(self.by.removeprefix(WHERE)) if self.by.startswith(WHERE) else facts.get(self.by)
