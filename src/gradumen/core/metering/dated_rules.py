"""Rules over readings, each for its days: which of them take one, and from when on two lists of them may differ."""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from itertools import chain
from typing import Generic, Protocol, TypeVar

from gradumen.core.catalogue.conditions import Equals, OneOf
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


class RuleIndex(Generic[R]):
    """Rules in an order, found by what they ask for: of many that each ask for another value few are looked at.

    >>> from gradumen.core.catalogue.conditions import Equals
    >>> from gradumen.core.metering.ownership import OwnershipRule
    >>> from gradumen.core.metering.told_conditions import AllOf
    >>> when = Conditions(AllOf((("account", Equals("acc-7")),)))
    >>> gull = OwnershipRule("Gull", ((7, 1),), date(2026, 9, 1), None, when)
    >>> rules = RuleIndex([gull])
    >>> list(rules.taking({"account": "acc-7"}, {}, date(2026, 9, 1))) == [gull]
    True
    >>> [*rules.taking({"account": "acc-7"}, {}, date(2026, 8, 31)), *rules.taking({}, {}, date(2026, 9, 1))]
    []
    """

    def __init__(self, rules: Iterable[R]) -> None:
        self._rules = list(rules)
        self._by_value: dict[tuple[bool, str, str | None], list[int]] = {}
        self._others: list[int] = []
        for place, rule in enumerate(self._rules):
            wanted = _asked_for(rule.conditions)
            for key in wanted:
                self._by_value.setdefault(key, []).append(place)
            if not wanted:
                self._others.append(place)

    def taking(self, facts: Mapping[str, str | None], attributes: Mapping[str, str], day: date) -> Iterator[R]:
        """Those that take a reading which started on a day, in their order: the first that says something counts."""
        places = [*self._others]
        for key in chain(((False, *each) for each in facts.items()), ((True, *each) for each in attributes.items())):
            places += self._by_value.get(key, ())
        for place in sorted(places):
            rule = self._rules[place]
            if on_day(rule, day) and rule.conditions.hold(facts, attributes):
                yield rule


_LAST = ("feed", "meter", "unit")
"""Facts that tell few rules apart."""


def _asked_for(conditions: Conditions) -> list[tuple[bool, str, str | None]]:
    """The values of one fact or attribute (True) that conditions ask for; none where they ask for no certain ones."""
    attributes = [(True, *each) for each in conditions.all_of.match]
    facts = sorted(((False, *each) for each in conditions.all_of.conditions), key=lambda each: each[1] in _LAST)
    for of_attribute, name, condition in (*attributes, *facts):
        if isinstance(condition, Equals):
            return [(of_attribute, name, condition.value)]
        if isinstance(condition, OneOf):
            return [(of_attribute, name, value) for value in condition.values]
    return []


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
