"""Who answers for a project and who works in it."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.access.project_people import ProjectPeopleBody, ProjectPeopleSet


class ProjectPeople:
    """The people of projects."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str, project: str) -> ProjectPeopleBody:
        """Who they are, by address."""
        return self._connection.get(f"organisations/{organisation}/projects/{project}/people", ProjectPeopleBody)

    def set(
        self, organisation: str, project: str, *, owner: str | None, members: Sequence[str] = ()
    ) -> ProjectPeopleBody:
        """Say who they are: who answers for it, and the others."""
        body = ProjectPeopleSet(owner=owner, members=list(members))
        return self._connection.put(f"organisations/{organisation}/projects/{project}/people", ProjectPeopleBody, body)
