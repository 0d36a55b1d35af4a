"""Whose usage is that names no owner: rules over where it came from and what it is, in order, each for its days."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date

from gradumen.core.metering.told_conditions import AllOf, ToldConditions

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

    ``match`` is on attributes. Of ``any_of``, where there are such, one holds too, and of ``none_of`` none. Among
    several projects it is divided by their shares. In place of shares the value of a fact or attribute (``by``) can say
    whose it is: by a table of ``owners`` (projects by number), else itself.
    """

    name: str
    shares: Shares
    starts_on: date
    ends_on: date | None
    conditions: ToldConditions
    match: ToldConditions
    by: str | None = None
    owners: Mapping[str, int] | None = field(default=None, hash=False)
    any_of: tuple[AllOf, ...] = ()
    none_of: tuple[AllOf, ...] = ()

    def value_of(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> str | None:
        """What of a reading says whose it is, where the rule goes by that."""
        if self.by is None:
            return None
        return attributes.get(self.by.removeprefix(WHERE)) if self.by.startswith(WHERE) else facts.get(self.by)

    def takes(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> bool:
        """Whether a reading fulfils the conditions, whenever it was."""
        return (
            AllOf(self.conditions, self.match).hold(facts, attributes)
            and (not self.any_of or any(each.hold(facts, attributes) for each in self.any_of))
            and not any(each.hold(facts, attributes) for each in self.none_of)
        )


def rules_for(
    rules: Iterable[OwnershipRule], facts: Mapping[str, str | None], attributes: Mapping[str, str], day: date
) -> Iterator[OwnershipRule]:
    """The rules that take a reading which started on a day, in their order: the first that names an owner counts.

    >>> from gradumen.core.catalogue.conditions import Equals
    >>> from datetime import date
    >>> gull = OwnershipRule("Gull", ((7, 1),), date(2026, 9, 1), None, (("account", Equals("acc-7")),), ())
    >>> list(rules_for([gull], {"account": "acc-7"}, {}, date(2026, 9, 1))) == [gull]
    True
    >>> [*rules_for([gull], {"account": "acc-7"}, {}, date(2026, 8, 31)), *rules_for([gull], {}, {}, date(2026, 9, 1))]
    []
    """
    for rule in rules:
        if rule.starts_on <= day and (rule.ends_on is None or day < rule.ends_on) and rule.takes(facts, attributes):
            yield rule


def first_difference(before: Iterable[OwnershipRule], after: Iterable[OwnershipRule]) -> date | None:
    """The first day on which two lists of rules may say otherwise; None where they are the same.

    >>> from datetime import date
    >>> one = OwnershipRule("One", ((1, 1),), date(2026, 9, 1), None, (), ())
    >>> first_difference([], [one]), first_difference([one], [one])
    (datetime.date(2026, 9, 1), None)
    """
    old, new = list(before), list(after)
    while old and new and old[0] == new[0]:
        old.pop(0)
        new.pop(0)
    while old and new and old[-1] == new[-1]:
        old.pop()
        new.pop()
    return min((each.starts_on for each in (*old, *new)), default=None)
