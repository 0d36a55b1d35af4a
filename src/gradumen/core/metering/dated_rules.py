"""Rules over readings, each for its days: which of them take one, and from when on two lists of them may differ."""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from typing import Protocol, TypeVar

from gradumen.core.metering.told_conditions import Conditions


class DatedRule(Protocol):
    """Holds for what started from a day of UTC on, up to (not including) another one if there is such."""

    @property
    def starts_on(self) -> date: ...

    @property
    def ends_on(self) -> date | None: ...

    @property
    def conditions(self) -> Conditions: ...


R = TypeVar("R", bound=DatedRule)


def on_day(rule: DatedRule, day: date) -> bool:
    """Whether a rule holds on a day."""
    return rule.starts_on <= day and (rule.ends_on is None or day < rule.ends_on)


def rules_for(
    rules: Iterable[R], facts: Mapping[str, str | None], attributes: Mapping[str, str], day: date
) -> Iterator[R]:
    """The rules that take a reading which started on a day, in their order: the first that says something counts.

    >>> from gradumen.core.catalogue.conditions import Equals
    >>> from gradumen.core.metering.ownership import OwnershipRule
    >>> from gradumen.core.metering.told_conditions import AllOf
    >>> when = Conditions(AllOf((("account", Equals("acc-7")),)))
    >>> gull = OwnershipRule("Gull", ((7, 1),), date(2026, 9, 1), None, when)
    >>> list(rules_for([gull], {"account": "acc-7"}, {}, date(2026, 9, 1))) == [gull]
    True
    >>> [*rules_for([gull], {"account": "acc-7"}, {}, date(2026, 8, 31)), *rules_for([gull], {}, {}, date(2026, 9, 1))]
    []
    """
    for rule in rules:
        if on_day(rule, day) and rule.conditions.hold(facts, attributes):
            yield rule


def first_difference(before: Iterable[DatedRule], after: Iterable[DatedRule]) -> date | None:
    """The first day on which two lists of rules may say otherwise; None where they are the same.

    >>> from gradumen.core.metering.ownership import OwnershipRule
    >>> one = OwnershipRule("One", ((1, 1),), date(2026, 9, 1), None, Conditions())
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
