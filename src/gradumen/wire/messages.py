"""Bodies of messages to people and of their texts."""

from datetime import datetime
from uuid import UUID

from gradumen.core.messages import Kind, State
from gradumen.wire.values import Body, WholeNumber


class MessageBody(Body):
    """A message to one address: what it says, and how far it has come.

    ``path`` leads to what it is about; the end of a link that is a secret is not shown.
    """

    id: UUID
    organisation: str
    from_organisation: str
    from_name: str
    kind: Kind
    email: str
    subject: str
    text: str
    path: str
    state: State
    attempts: int
    problem: str | None
    created_at: datetime
    due_at: datetime | None
    sent_at: datetime | None


class NoticeBody(Body):
    """What was told to the signed-in user."""

    id: UUID
    kind: Kind
    subject: str
    from_name: str
    path: str
    created_at: datetime
    unread: bool


class NoticesBody(Body):
    """The latest of what was told to the signed-in user, and how much of all of it was not seen."""

    items: list[NoticeBody]
    unread: int


class NoticesRead(Body):
    """Until when what was told was seen."""

    until: datetime


class MessageTextBody(Body):
    """The text of a kind of message: an organisation's own, or what it begins with.

    ``placeholders`` may stand in braces; ``when`` says when it is sent.
    """

    kind: Kind
    when: str
    subject: str
    body: str
    own: bool
    placeholders: list[str]
    version: int


class MessageTextUpdate(Body):
    """Another text; ``version`` is that of what was read, null to write it whatever is there."""

    subject: str
    body: str
    version: WholeNumber | None = None


class MessageTextTry(Body):
    """A text to be looked at."""

    subject: str
    body: str


class MailBody(Body):
    """What a text comes to with the facts of an example: as plain text and as HTML."""

    subject: str
    text: str
    html: str
