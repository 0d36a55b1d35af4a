"""Whose usage is that names no owner: rules over where it came from and what it is, in order, each for its days."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from uuid import UUID

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
WHOLE_SHARES = 100
"""What shares and a remainder come to together."""
Shares = tuple[tuple[int, int], ...]
"""Projects by number, each with its share in proportion to the others'; of one alone, it has everything."""
NOBODY = 0
"""In place of a project's number, where a reading names no owner and no rule finds one."""


@dataclass(frozen=True, slots=True)
class ByUsage:
    """Shares of a UTC day by what each used of a meter on it, by feeds of a seller and of those above it.

    ``feeds`` are those that count, by number, where not all do; ``among`` the projects, where not all of whom the
    seller sells to. ``whole`` is what all would come to on a day, in millionths of what usage of the meter is counted
    in: what is left of it, and without it a day on which nobody used any, is of ``remainder``.
    """

    seller: UUID
    meter: int
    feeds: frozenset[int] = frozenset()
    among: frozenset[int] = frozenset()
    whole: int | None = None
    remainder: int | None = None

    def shares(self, used: Mapping[int, int]) -> Shares:
        """Shares by what projects used on a day, in millionths; where there is nobody to share it, nobody's.

        >>> by = ByUsage(UUID(int=1), 5, whole=10, remainder=9)
        >>> by.shares({8: 3, 7: 4}), by.shares({7: 12}), by.shares({})
        (((7, 4), (8, 3), (9, 3)), ((7, 12),), ((9, 10),))
        >>> ByUsage(UUID(int=1), 5, remainder=9).shares({7: 4}), ByUsage(UUID(int=1), 5).shares({7: 0})
        (((7, 4),), ((0, 1),))
        """
        found = {project: quantity for project, quantity in used.items() if quantity > 0}
        left = int(not found) if self.whole is None else max(0, self.whole - sum(found.values()))
        if left and self.remainder is not None:
            found[self.remainder] = found.get(self.remainder, 0) + left
        return tuple(sorted(found.items())) or ((NOBODY, 1),)


Whose = Shares | ByUsage
"""Whose something is: by shares that stay, or by those of each day."""


@dataclass(frozen=True, slots=True)
class OwnershipRule:
    """From a day of UTC up to (not including) another, what fulfils all conditions is of projects; None is no end.

    Among several projects it is divided by their shares, or by those of each day (``by_usage``). In place of shares the
    value of a fact or attribute (``by``) can say whose it is: by a table of ``owners`` (projects by number), else
    itself.
    """

    name: str
    shares: Shares
    starts_on: date
    ends_on: date | None
    conditions: Conditions
    by: str | None = None
    owners: Mapping[str, int] | None = field(default=None, hash=False)
    by_usage: ByUsage | None = None

    @property
    def whose(self) -> Whose:
        """Whose it says that something is, where no value does."""
        return self.by_usage or self.shares

    def value_of(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> str | None:
        """What of a reading says whose it is, where the rule goes by that."""
        if self.by is None:
            return None
        return attributes.get(self.by.removeprefix(WHERE)) if self.by.startswith(WHERE) else facts.get(self.by)
