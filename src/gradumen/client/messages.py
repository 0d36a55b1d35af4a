"""Messages to people and their texts."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.messages import Kind, State
from gradumen.wire.messages import (
    MailBody,
    MessageBody,
    MessageTextBody,
    MessageTextTry,
    MessageTextUpdate,
    NoticesBody,
    NoticesRead,
)


class Messages:
    """What was sent, what its texts are, and what the signed-in user was told."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self, organisation: str, *, state: State | None = None, search: str = "", limit: int | None = None
    ) -> list[MessageBody]:
        """What was sent to an organisation's people and by it, the latest first; all of it without ``limit``."""
        path = f"organisations/{organisation}/messages"
        if limit is not None:
            return self._connection.page(path, MessageBody, state=state, search=search, limit=limit).items
        return self._connection.all(path, MessageBody, state=state, search=search, limit=500)

    def retry(self, message_id: UUID) -> MessageBody:
        """Have a message that failed sent again."""
        return self._connection.post(f"messages/{message_id}/retry", MessageBody)

    def notices(self) -> NoticesBody:
        """The latest of what the signed-in user was told."""
        return self._connection.get("notices", NoticesBody)

    def read_notices(self, until: datetime) -> None:
        """Note that what was told until a moment was seen."""
        self._connection.act("notices/read", NoticesRead(until=until))

    def texts(self, organisation: str) -> Sequence[MessageTextBody]:
        """The text of each kind of message that comes from an organisation."""
        return self._connection.page(f"organisations/{organisation}/message-texts", MessageTextBody).items

    def write_text(
        self, organisation: str, kind: Kind, *, subject: str, body: str, version: int | None = None
    ) -> MessageTextBody:
        """Write a text in the place of the one that is there."""
        written = MessageTextUpdate(subject=subject, body=body, version=version)
        return self._connection.put(f"organisations/{organisation}/message-texts/{kind}", MessageTextBody, written)

    def drop_text(self, organisation: str, kind: Kind) -> MessageTextBody:
        """Go back to the text that a kind begins with."""
        path = f"organisations/{organisation}/message-texts/{kind}"
        return MessageTextBody.model_validate_json(self._connection.send("DELETE", path).content)

    def try_text(self, organisation: str, kind: Kind, *, subject: str, body: str) -> MailBody:
        """What a text comes to with the facts of an example."""
        path = f"organisations/{organisation}/message-texts/{kind}/try"
        return self._connection.post(path, MailBody, MessageTextTry(subject=subject, body=body))
