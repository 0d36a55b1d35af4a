"""Projects of an organisation as a tree, whose levels the organisation names itself."""

from collections.abc import Hashable, Iterable, Mapping
from typing import Generic, TypeVar

from gradumen.core.errors import Conflict

MOST_LEVELS = 4
"""Levels that a tree of projects has at most."""
Key = TypeVar("Key", bound=Hashable)


class ProjectTree(Generic[Key]):
    """Which project is under which."""

    def __init__(self, parents: Mapping[Key, Key | None]) -> None:
        self.parents = parents

    def path(self, project: Key) -> list[Key]:
        """The projects above one, from the top, and itself.

        >>> ProjectTree({"school": None, "class": "school"}).path("class")
        ['school', 'class']
        """
        found = [project]
        while (above := self.parents.get(found[-1])) is not None:
            found.append(above)
        return found[::-1]

    def height(self, project: Key) -> int:
        """How many levels it and those below it are.

        >>> ProjectTree({"school": None, "class": "school"}).height("school")
        2
        """
        return max(len(path) - path.index(project) for path in map(self.path, self.parents) if project in path)

    def in_order(self, projects: Iterable[Key]) -> list[Key]:
        """Each after the one that it is under, in the order given among those beside it.

        >>> ProjectTree({"b": None, "a": None, "c": "b"}).in_order(["a", "b", "c"])
        ['a', 'b', 'c']
        """
        place = {project: number for number, project in enumerate(projects)}
        return sorted(place, key=lambda project: [place[each] for each in self.path(project)])


def check_place(tree: ProjectTree[Key], project: Key | None, parent: Key | None, levels: int) -> None:
    """Check that a project, with those below it, may be under another; None is a new one, and the top.

    Args:
        levels: how many there may be.

    Raises:
        Conflict: it is the other, or above it, or there would be too many levels.

    >>> tree = ProjectTree({"school": None, "class": "school"})
    >>> check_place(tree, "school", "class", 4)
    Traceback (most recent call last):
        ...
    gradumen.core.errors.Conflict: a project is neither under itself nor under one below it
    >>> check_place(tree, None, "class", 2)
    Traceback (most recent call last):
        ...
    gradumen.core.errors.Conflict: that would be level 3, and there are 2
    """
    above = tree.path(parent) if parent is not None else []
    if project is not None and project in above:
        raise Conflict("a project is neither under itself nor under one below it", field="parent")
    deepest = len(above) + (1 if project is None else tree.height(project))
    if deepest > levels:
        raise Conflict(f"that would be level {deepest}, and there are {levels}", field="parent")
