"""Bodies of projects."""

from uuid import UUID

from gradumen.wire.values import Body


class ProjectCreate(Body):
    """A project of an organisation."""

    slug: str
    name: str
    cost_centre: str | None = None


class ProjectBody(Body):
    """A project."""

    id: UUID
    organisation: str
    slug: str
    name: str
    cost_centre: str | None
