"""Conditions on what is told of a reading, which may be missing: more ways to ask than a price has."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from functools import lru_cache

import re2

from gradumen.core.catalogue.conditions import Condition, Equals, OneOf
from gradumen.core.errors import Invalid

MOST_PATTERN = 200
"""Characters of a pattern."""
_MEMORY = 1 << 20
"""Bytes that a pattern may take; what would take more is refused."""


@lru_cache(maxsize=2000)
def _compiled(pattern: str) -> "re2._Regexp":
    options = re2.Options()
    options.max_mem, options.log_errors = _MEMORY, False
    return re2.compile(pattern, options)


@dataclass(frozen=True, slots=True)
class Pattern:
    """The whole text is as a regular expression says, by an engine whose time grows with the text alone.

    Raises:
        Invalid: it is none, or too large.

    >>> Pattern("vm-[0-9]+").holds("vm-17"), Pattern("vm-[0-9]+").holds("my vm-17"), Pattern("(a+)+b").holds("a" * 99)
    (True, False, False)
    """

    text: str

    def __post_init__(self) -> None:
        if not 0 < len(self.text) <= MOST_PATTERN:
            raise Invalid(f"a pattern has 1 to {MOST_PATTERN} characters", field="pattern", value=self.text[:80])
        try:
            _compiled(self.text)
        except re2.error as problem:
            said = problem.args[0].decode() if isinstance(problem.args[0], bytes) else str(problem)
            message = (
                f"pattern '{self.text[:80]}' cannot be read: {said}; it is written as for RE2, without looking around"
            )
            raise Invalid(message, field="pattern", value=self.text) from None

    def holds(self, value: str) -> bool:
        return _compiled(self.text).fullmatch(value) is not None


@dataclass(frozen=True, slots=True)
class AtLeast:
    """The text is a number, and not below this one.

    >>> AtLeast(Decimal(1)).holds("2"), AtLeast(Decimal(1)).holds("0.5"), AtLeast(Decimal(1)).holds("two")
    (True, False, False)
    """

    least: Decimal

    def holds(self, value: str) -> bool:
        try:
            number = Decimal(value)
        except InvalidOperation:
            return False
        return number.is_finite() and number >= self.least


@dataclass(frozen=True, slots=True)
class Present:
    """Something is told, or nothing."""

    wanted: bool


ToldCondition = Condition | Pattern | AtLeast | Present
ToldConditions = tuple[tuple[str, ToldCondition], ...]
"""By fact or attribute."""


@dataclass(frozen=True, slots=True)
class AllOf:
    """Conditions on facts and on attributes that hold together."""

    conditions: ToldConditions = ()
    match: ToldConditions = ()

    def hold(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> bool:
        """Whether all hold.

        >>> told = AllOf((("account", Present(wanted=False)),), (("gpus", AtLeast(Decimal(1))),))
        >>> told.hold({"account": None}, {"gpus": "2"}), told.hold({"account": "a-1"}, {"gpus": "2"}), told.hold({}, {})
        (True, False, False)
        """
        return all(_holds(each, facts.get(key)) for key, each in self.conditions) and all(
            _holds(each, attributes.get(key)) for key, each in self.match
        )


@dataclass(frozen=True, slots=True)
class Conditions:
    """All of some hold, of ``any_of``, where there are such, one too, and of ``none_of`` none."""

    all_of: AllOf = AllOf()
    any_of: tuple[AllOf, ...] = ()
    none_of: tuple[AllOf, ...] = ()

    def hold(self, facts: Mapping[str, str | None], attributes: Mapping[str, str]) -> bool:
        """Whether they hold."""
        return (
            self.all_of.hold(facts, attributes)
            and (not self.any_of or any(each.hold(facts, attributes) for each in self.any_of))
            and not any(each.hold(facts, attributes) for each in self.none_of)
        )

    @property
    def facts(self) -> frozenset[str]:
        """What they look at, beside attributes."""
        return frozenset(key for each in (self.all_of, *self.any_of, *self.none_of) for key, _ in each.conditions)

    @property
    def specificity(self) -> tuple[int, int, int]:
        """The more the more specific: how many there are; of these values, and lists of values.

        As of the conditions of prices (`gradumen.core.catalogue.conditions`); one of ``any_of`` is one of all.

        >>> told = AllOf((("account", Equals("a")),), (("gpus", AtLeast(Decimal(1))),))
        >>> Conditions(told).specificity, Conditions(told, (AllOf(), AllOf()), (told,)).specificity
        ((2, 1, 0), (4, 1, 0))
        """
        single = [each for _, each in (*self.all_of.conditions, *self.all_of.match)]
        of = [sum(isinstance(each, kind) for each in single) for kind in (Equals, OneOf)]
        return len(single) + bool(self.any_of) + len(self.none_of), of[0], of[1]


def _holds(condition: ToldCondition, said: str | None) -> bool:
    if isinstance(condition, Present):
        return (said is not None) is condition.wanted
    return said is not None and condition.holds(said)
