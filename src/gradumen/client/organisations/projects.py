"""Projects, and the levels of their trees."""

import builtins
from typing import Any

from gradumen.client.connection import Connection
from gradumen.wire.organisations.projects import ProjectBody, ProjectCreate, ProjectLevels, ProjectUpdate


class Projects:
    """Units of organisations that use and are charged."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> builtins.list[ProjectBody]:
        """The projects of an organisation, each after the one that it is under."""
        return self._connection.page(f"organisations/{organisation}/projects", ProjectBody).items

    def create(
        self,
        organisation: str,
        *,
        slug: str,
        name: str,
        cost_centre: str | None = None,
        parent: str | None = None,
        key: str | None = None,
    ) -> ProjectBody:
        """Add a project, at the top or under another."""
        body = ProjectCreate(slug=slug, name=name, cost_centre=cost_centre, parent=parent)
        return self._connection.post(f"organisations/{organisation}/projects", ProjectBody, body, key=key)

    def change(self, organisation: str, project: str, *, version: int, **given: Any) -> ProjectBody:
        """Change what is given: name, parent (None is the top), or cost_centre from today on."""
        body = ProjectUpdate(version=version, **given)
        return self._connection.patch(f"organisations/{organisation}/projects/{project}", ProjectBody, body)

    def levels(self, organisation: str) -> builtins.list[str]:
        """What an organisation calls the levels of its tree, from the top."""
        return self._connection.get(f"organisations/{organisation}/project-levels", ProjectLevels).names

    def set_levels(self, organisation: str, names: builtins.list[str]) -> builtins.list[str]:
        """Name them."""
        body = ProjectLevels(names=names)
        return self._connection.put(f"organisations/{organisation}/project-levels", ProjectLevels, body).names
