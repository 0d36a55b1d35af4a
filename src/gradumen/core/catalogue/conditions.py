"""Which rate prices what: conditions on attributes and time windows, and the one that wins.

More conditions win; of equally many, more of *equals*, then of *one of*, then of *prefix*, then of *contains*.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations, product
from typing import Protocol

from gradumen.core.catalogue.services import PHASE
from gradumen.core.errors import Invalid

Attributes = Mapping[str, str]
WEEK_HOURS = 7 * 24
DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


@dataclass(frozen=True, slots=True)
class Equals:
    """The attribute has this value."""

    value: str

    def holds(self, value: str) -> bool:
        return value == self.value


@dataclass(frozen=True, slots=True)
class OneOf:
    """The attribute has one of these values."""

    values: tuple[str, ...]

    def __post_init__(self) -> None:
        if len(self.values) < 2 or len(set(self.values)) < len(self.values):
            raise Invalid("a list of values has at least two, all different", field="where", value=self.values)

    def holds(self, value: str) -> bool:
        return value in self.values


@dataclass(frozen=True, slots=True)
class Prefix:
    """The attribute begins with this text; ``among`` are the allowed values that do, None where any is allowed."""

    text: str
    among: tuple[str, ...] | None = field(default=None, compare=False)

    def holds(self, value: str) -> bool:
        return value.startswith(self.text)


@dataclass(frozen=True, slots=True)
class Contains:
    """The attribute has this text somewhere; ``among`` as in `Prefix`."""

    text: str
    among: tuple[str, ...] | None = field(default=None, compare=False)

    def holds(self, value: str) -> bool:
        return self.text in value


Condition = Equals | OneOf | Prefix | Contains
Conditions = tuple[tuple[str, Condition], ...]
"""Per attribute, in the order of attributes."""

_RANKS = (Equals, OneOf, Prefix, Contains)


@dataclass(frozen=True, slots=True)
class TimeWindow:
    """Hours of the week in the seller's zone: from an hour up to another on these days, over midnight if need be."""

    days: tuple[int, ...]
    from_hour: int
    to_hour: int
    mask: int = field(init=False, repr=False, compare=False)
    """Bit ``24 x weekday + hour`` is set where the window is open; Monday is 0."""

    def __post_init__(self) -> None:
        days_known = self.days and all(0 <= day < 7 for day in self.days) and len(set(self.days)) == len(self.days)
        if not days_known or not (0 <= self.from_hour < 24 and 0 < self.to_hour <= 24):
            raise Invalid("a time window has days, and hours from 00:00 to 24:00", field="when")
        length = (self.to_hour - self.from_hour) % 24 or 24
        mask = 0
        for day in self.days:
            for hour in range(self.from_hour, self.from_hour + length):
                mask |= 1 << (day * 24 + hour) % WEEK_HOURS
        object.__setattr__(self, "mask", mask)

    def open_at(self, week_hour: int) -> bool:
        """Whether an hour of the week, counted from Monday 00:00, lies in the window."""
        return bool(self.mask >> week_hour & 1)


class Matching(Protocol):
    """What of a rate decides which usage it prices."""

    @property
    def slug(self) -> str: ...
    @property
    def meter(self) -> str: ...
    @property
    def match(self) -> Conditions: ...
    @property
    def when(self) -> TimeWindow | None: ...


def specificity(rate: Matching) -> tuple[int, ...]:
    """The higher wins: count of conditions (a time window is one), then of each kind in order."""
    kinds = [sum(isinstance(condition, kind) for _, condition in rate.match) for kind in _RANKS]
    return len(rate.match) + (rate.when is not None), *kinds


def overlap(left: Condition, right: Condition) -> bool:
    """Whether some value fulfils both conditions."""
    for one, other in ((left, right), (right, left)):
        listed = _listed(one)
        if listed is not None:
            return any(other.holds(value) for value in listed)
    if isinstance(left, Prefix) and isinstance(right, Prefix):
        return left.text.startswith(right.text) or right.text.startswith(left.text)
    return True


def _listed(condition: Condition) -> tuple[str, ...] | None:
    """All values that fulfil a condition, where they can be listed."""
    if isinstance(condition, Equals):
        return (condition.value,)
    return condition.values if isinstance(condition, OneOf) else condition.among


def can_meet(left: Matching, right: Matching) -> bool:
    """Whether some usage fulfils the conditions of both rates."""
    if left.meter != right.meter:
        return False
    if left.when is not None and right.when is not None and not left.when.mask & right.when.mask:
        return False
    wanted = dict(left.match)
    return all(key not in wanted or overlap(wanted[key], condition) for key, condition in right.match)


@dataclass(slots=True)
class _Shape:
    """Rates of one meter and specificity that list values of the same attributes: found by those values."""

    keys: tuple[str, ...]
    table: dict[tuple[str, ...], list[int]] = field(default_factory=dict)


class Matcher:
    """Rates compiled once, so that finding the one that wins does not scan them."""

    def __init__(self, rates: Sequence[Matching]) -> None:
        self._rates = rates
        found: dict[str, dict[tuple[tuple[int, ...], tuple[str, ...]], _Shape]] = {}
        for index, rate in enumerate(rates):
            keyed = [(key, values) for key, values in ((k, _keyed(c)) for k, c in rate.match) if values]
            keys = tuple(key for key, _ in keyed)
            shape = found.setdefault(rate.meter, {}).setdefault((specificity(rate), keys), _Shape(keys))
            for values in product(*(values for _, values in keyed)):
                shape.table.setdefault(values, []).append(index)
        self._shapes = {meter: [shapes[key] for key in sorted(shapes, reverse=True)] for meter, shapes in found.items()}
        self.looked_at = {
            meter: frozenset(key for rate in rates if rate.meter == meter for key, _ in rate.match) for meter in found
        }
        """Per meter, the attributes that some rate looks at."""

    def find(self, meter: str, attributes: Attributes, week_hour: int) -> int | None:
        """The index of the rate that wins for usage of a meter in an hour of the week; None if none matches."""
        for shape in self._shapes.get(meter, ()):
            values = tuple(attributes.get(key, "") for key in shape.keys)
            for index in shape.table.get(values, ()):
                rate = self._rates[index]
                if rate.when is not None and not rate.when.open_at(week_hour):
                    continue
                if all(key in attributes and condition.holds(attributes[key]) for key, condition in rate.match):
                    return index
        return None

    def tie(self) -> tuple[int, int] | None:
        """Two rates of which neither wins, found by intersecting their conditions; None if there are none."""
        for shapes in self._shapes.values():
            members: dict[tuple[int, ...], list[set[int]]] = {}
            for shape in shapes:
                for same in shape.table.values():
                    for left, right in combinations(same, 2):
                        if can_meet(self._rates[left], self._rates[right]):
                            return left, right
                indexes = {index for same in shape.table.values() for index in same}
                members.setdefault(specificity(self._rates[min(indexes)]), []).append(indexes)
            for alike in members.values():
                for one, other in combinations(alike, 2):
                    for left, right in product(sorted(one), sorted(other)):
                        if can_meet(self._rates[left], self._rates[right]):
                            return min(left, right), max(left, right)
        return None


def _keyed(condition: Condition) -> tuple[str, ...]:
    return () if isinstance(condition, Prefix | Contains) else _listed(condition) or ()


_CALLED = {PHASE: "while"}
"""What stands before a condition in place of its attribute's name."""


def words(match: Conditions, when: TimeWindow | None) -> str:
    """Conditions in words.

    >>> words((("size", Equals("large")),), TimeWindow((5, 6), 0, 24))
    'size large, on saturday and sunday'
    """
    said = [f"{_CALLED.get(key, key)} {_said(condition)}" for key, condition in match]
    if when is not None:
        days = _joined([DAYS[day] for day in when.days]) if len(when.days) < 7 else ""
        hours = "" if (when.from_hour, when.to_hour) == (0, 24) else f"{when.from_hour:02d}:00 to {when.to_hour:02d}:00"
        said.append(" ".join(part for part in (f"on {days}" if days else "", hours) if part))
    return ", ".join(said)


def _said(condition: Condition) -> str:
    match condition:
        case Equals(value):
            return value
        case OneOf(values):
            return _joined(values, "or")
        case Prefix(text):
            return f"beginning with {text}"
        case Contains(text):
            return f"containing {text}"


def _joined(names: Iterable[str], last: str = "and") -> str:
    *head, tail = names
    return f"{', '.join(head)} {last} {tail}" if head else tail
