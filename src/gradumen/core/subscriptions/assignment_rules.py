"""Which subscription the usage of a project falls to, hour by hour."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from uuid import UUID

from gradumen.core.catalogue.conditions import Attributes, Condition, Conditions


@dataclass(frozen=True, slots=True)
class AssignmentRule:
    """From a day up to (not including) another, what fulfils all conditions falls to a subscription.

    None is any. Rules are looked at in the order of their positions, before all else.
    """

    position: int
    subscription: UUID
    starts_on: date
    ends_on: date | None
    service: str | None = None
    project: str | None = None
    resource: Condition | None = None
    match: Conditions = ()

    def takes(self, service: str, project: str, resource: str, attributes: Attributes) -> bool:
        """Whether usage fulfils the conditions, whenever it was."""
        return (
            self.service in (None, service)
            and self.project in (None, project)
            and (self.resource is None or self.resource.holds(resource))
            and all(key in attributes and condition.holds(attributes[key]) for key, condition in self.match)
        )


@dataclass(frozen=True, slots=True)
class Candidate:
    """A line that may take usage from ``start`` to ``end`` (hours, half-open); lower ``rank`` goes first."""

    rank: tuple[int | str, ...]
    line: int
    start: int
    end: int


def assign(candidates: Sequence[Candidate]) -> list[tuple[int, int, int]]:
    """Disjoint intervals (start, end, line), so that each hour falls to the first candidate that covers it.

    >>> assign([Candidate((1,), 7, 0, 10), Candidate((0,), 8, 4, 6)])
    [(0, 4, 7), (4, 6, 8), (6, 10, 7)]
    """
    edges = sorted({edge for each in candidates for edge in (each.start, each.end)})
    found: list[tuple[int, int, int]] = []
    for start, end in pairwise(edges):
        covering = [each for each in candidates if each.start <= start and end <= each.end]
        if not covering:
            continue
        line = min(covering, key=lambda each: each.rank).line
        if found and found[-1][1] == start and found[-1][2] == line:
            found[-1] = (found[-1][0], end, line)
        else:
            found.append((start, end, line))
    return found
