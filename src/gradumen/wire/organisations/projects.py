"""Bodies of projects, and of the levels of their trees."""

from uuid import UUID

from gradumen.wire.values import AsSet, Body, WholeNumber


class ProjectCreate(Body):
    """A project of an organisation; ``parent`` is the slug of the one that it is under."""

    slug: str
    name: str
    cost_centre: str | None = None
    parent: str | None = None


class ProjectUpdate(AsSet, Body):
    """What is to be changed of a project, over the version that was read; what is left out stays.

    Another cost centre holds from today on. ``parent`` null is the top.
    """

    version: WholeNumber
    name: str | None = None
    cost_centre: str | None = None
    parent: str | None = None


class ProjectBody(Body):
    """A project; ``level`` is its depth in the tree, 1 at the top."""

    id: UUID
    organisation: str
    slug: str
    name: str
    cost_centre: str | None
    parent: str | None
    level: int
    version: int


class ProjectLevels(Body):
    """What an organisation calls the levels of its tree of projects, from the top; none where they have no names."""

    names: list[str]
