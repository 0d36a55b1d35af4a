"""Routes of messages to people, their texts, and what the signed-in user was told."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, status

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.core.messages import Kind, State
from gradumen.usecases import message_texts, messages
from gradumen.wire.messages import (
    MailBody,
    MessageBody,
    MessageTextBody,
    MessageTextTry,
    MessageTextUpdate,
    NoticesBody,
    NoticesRead,
)
from gradumen.wire.values import Page

router = Router(tags=["messages"])


@router.get("/organisations/{organisation}/messages")
def list_messages(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    state: State | None = None,
    search: Annotated[str, Query(max_length=80)] = "",
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[MessageBody]:
    """What was sent to an organisation's people and by it to others, the latest first; for its administrators."""
    size = page_limit(limit)
    found = messages.list_messages(
        uow, caller, organisation=organisation, state=state, search=search, after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: f"{last.created_at.isoformat()}|{last.id}")


@router.post("/messages/{message_id}/retry")
def retry_message(message_id: UUID, uow: Uow, caller: CallerHere) -> MessageBody:
    """Have a message that failed sent again; safe to repeat."""
    return messages.retry_message(uow, caller, message=message_id)


@router.get("/notices")
def list_notices(uow: Uow, caller: CallerHere) -> NoticesBody:
    """The latest of what the signed-in user was told."""
    return messages.list_notices(uow, caller)


@router.post("/notices/read", status_code=status.HTTP_204_NO_CONTENT)
def read_notices(body: NoticesRead, uow: Uow, caller: CallerHere) -> None:
    """The signed-in user has seen what it was told until a moment; safe to repeat."""
    messages.read_notices(uow, caller, until=body.until)


@router.get("/organisations/{organisation}/message-texts")
def list_message_texts(organisation: str, uow: Uow, caller: CallerHere) -> Page[MessageTextBody]:
    """The text of each kind of message that comes from an organisation; for its administrators."""
    return Page(items=message_texts.list_message_texts(uow, caller, organisation=organisation))


@router.put("/organisations/{organisation}/message-texts/{kind}")
def write_message_text(
    organisation: str, kind: Kind, body: MessageTextUpdate, uow: Uow, caller: CallerHere
) -> MessageTextBody:
    """Write a text in the place of the one that is there. Writing the same changes nothing."""
    return message_texts.write_message_text(uow, caller, organisation=organisation, kind=kind, **body.model_dump())


@router.delete("/organisations/{organisation}/message-texts/{kind}")
def drop_message_text(organisation: str, kind: Kind, uow: Uow, caller: CallerHere) -> MessageTextBody:
    """Go back to the text that a kind of message begins with; safe to repeat."""
    return message_texts.drop_message_text(uow, caller, organisation=organisation, kind=kind)


@router.post("/organisations/{organisation}/message-texts/{kind}/try")
def try_message_text(organisation: str, kind: Kind, body: MessageTextTry, uow: Uow, caller: CallerHere) -> MailBody:
    """What a text comes to with the facts of an example. Nothing is kept or sent."""
    return message_texts.try_message_text(uow, caller, organisation=organisation, kind=kind, **body.model_dump())
