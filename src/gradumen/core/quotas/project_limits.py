"""Limits of projects: each lies inside that of the nearest project above it which has one, else the organisation's."""

from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Generic

from gradumen.core.exact import add
from gradumen.core.organisations.projects import Key, ProjectTree


class ProjectLimits(Generic[Key]):
    """Limits of a measure, in all or at one place, of the projects of an organisation.

    Args:
        limits: by project that was given one; None is no limit, which takes nothing and bounds nobody.

    >>> tree = ProjectTree({"school": None, "year": "school", "class": "year"})
    >>> limits = ProjectLimits(tree, {"school": Decimal(10), "class": Decimal(4)})
    >>> limits.above("class"), limits.inside("school"), limits.passed_on("school"), limits.passed_on("year")
    ('school', ['class'], Decimal('4'), Decimal('4'))
    """

    def __init__(self, tree: ProjectTree[Key], limits: Mapping[Key, Decimal | None]) -> None:
        self._tree, self.limits = tree, limits
        self._inside: dict[Key | None, list[Key]] = {}
        for project in limits:
            self._inside.setdefault(self.above(project), []).append(project)

    def is_limited(self, project: Key) -> bool:
        """Whether it has a limit that bounds those below it."""
        return self.limits.get(project) is not None

    def above(self, project: Key) -> Key | None:
        """The nearest project above one that is limited; None where the organisation gives it."""
        return next((each for each in self._tree.path(project)[-2::-1] if self.is_limited(each)), None)

    def inside(self, project: Key) -> list[Key]:
        """Those with a limit, or with none, that would lie right inside one's, if it had one."""
        if self.is_limited(project):
            return self._inside.get(project, [])
        beside = self._inside.get(self.above(project), [])
        return [each for each in beside if each != project and project in self._tree.path(each)]

    def passed_on(self, project: Key) -> Decimal:
        """What of one's limit others have that lie right inside it."""
        return self._sum(self.inside(project))

    def unlimited(self, project: Key) -> int:
        """How many right below one were given no limit."""
        return sum(self.limits[each] is None for each in self.inside(project))

    def _sum(self, projects: Iterable[Key]) -> Decimal:
        return add([self.limits[each] or Decimal(0) for each in projects])
