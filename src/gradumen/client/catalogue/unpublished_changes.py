"""Changes of the catalogue that are being written."""

from typing import Any

from gradumen.client.connection import Connection
from gradumen.wire.catalogue.catalogue import (
    ChangeBody,
    ChangesBody,
)
from gradumen.wire.catalogue.unpublished_changes import UnpublishedChangeBody, UnpublishedChangeSave


class UnpublishedChanges:
    """Services, plans and rate cards being written."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def _path(self, organisation: str, kind: str, slug: str) -> str:
        return f"organisations/{organisation}/unpublished-changes/{kind}/{slug}"

    def get(self, organisation: str, kind: str, slug: str) -> UnpublishedChangeBody:
        """One unpublished change."""
        return self._connection.get(self._path(organisation, kind, slug), UnpublishedChangeBody)

    def save(
        self, organisation: str, kind: str, slug: str, form: dict[str, Any], *, version: int | None = None
    ) -> UnpublishedChangeBody:
        """Keep an unpublished change, over the version that was edited; None begins one.

        Raises:
            EditedMeanwhile: somebody else saved it since.
        """
        headers = {} if version is None else {"If-Match": f'"{version}"'}
        body = UnpublishedChangeSave(organisation=organisation, form=form).model_dump(mode="json")
        path = self._path(organisation, kind, slug)
        return UnpublishedChangeBody.model_validate_json(
            self._connection.send("PUT", path, json=body, headers=headers).content
        )

    def check(self, organisation: str, kind: str, slug: str) -> list[ChangeBody]:
        """Check an unpublished change and say what publishing it would change."""
        return self._connection.post(f"{self._path(organisation, kind, slug)}/check", ChangesBody).changes

    def publish(self, organisation: str, kind: str, slug: str, *, version: int) -> list[ChangeBody]:
        """Publish an unpublished change of that version."""
        path = f"{self._path(organisation, kind, slug)}/publish"
        answer = self._connection.send("POST", path, headers={"If-Match": f'"{version}"'})
        return ChangesBody.model_validate_json(answer.content).changes

    def discard(self, organisation: str, kind: str, slug: str) -> None:
        """Throw an unpublished change away."""
        self._connection.delete(self._path(organisation, kind, slug))

    def list(self, organisation: str) -> list[UnpublishedChangeBody]:
        """A seller's unpublished changes."""
        return self._connection.page(f"organisations/{organisation}/unpublished-changes", UnpublishedChangeBody).items
