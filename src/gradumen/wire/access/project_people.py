"""Bodies of who answers for a project and who works in it."""

from pydantic import Field

from gradumen.wire.values import Body


class ProjectPeopleSet(Body):
    """Addresses of members of the project's organisation: the ``owner`` answers for it, the others work in it."""

    owner: str | None = None
    members: list[str] = Field(default_factory=list)


class ProjectPeopleBody(Body):
    """Who answers for a project, null for nobody, and who works in it, by address."""

    owner: str | None
    members: list[str]
