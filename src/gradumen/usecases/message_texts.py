"""The texts of messages: an organisation's own in the place of those that a kind begins with."""

from gradumen.core.errors import EditedMeanwhile
from gradumen.core.messages import FORMS, Kind, Text, check_text
from gradumen.core.permissions import Right
from gradumen.store.messages import MessageTextRow, texts_of
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.messages import mail_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.messages import MailBody, MessageTextBody


@use_case
def list_message_texts(tx: Session, caller: Caller, *, organisation: str) -> list[MessageTextBody]:
    """The text of each kind of message that comes from an organisation; for its administrators.

    Raises:
        Forbidden: the caller is none of them.
    """
    owner = _owner(tx, caller, organisation)
    own = texts_of(tx, [owner.id])
    return [_view(kind, own.get((owner.id, kind))) for kind in Kind]


@use_case
def write_message_text(
    tx: Session, caller: Caller, *, organisation: str, kind: Kind, subject: str, body: str, version: int | None
) -> MessageTextBody:
    """Write a text in the place of the one that is there. Writing the same changes nothing.

    Raises:
        Forbidden: the caller is no administrator of the organisation.
        Invalid: see `check_text`.
        EditedMeanwhile: it is at another version.
    """
    owner = _owner(tx, caller, organisation)
    text = check_text(kind, Text(subject, body))
    lock_organisation(tx, owner.id)
    row = texts_of(tx, [owner.id]).get((owner.id, kind))
    _check_version(row, version)
    before = {"subject": row.subject, "body": row.body} if row else None
    after = {"subject": text.subject, "body": text.body}
    if row is None:
        row = MessageTextRow(organisation_id=owner.id, kind=kind, subject=text.subject, body=text.body, version=1)
        tx.add(row)
    elif before != after:
        row.subject, row.body, row.version = text.subject, text.body, row.version + 1
    if before != after:
        record(tx, caller, "message text written", owner.id, kind, before=before, after=after)
    tx.flush()
    return _view(kind, row)


@use_case
def drop_message_text(tx: Session, caller: Caller, *, organisation: str, kind: Kind) -> MessageTextBody:
    """Go back to the text that a kind begins with; asking again changes nothing.

    Raises:
        Forbidden: the caller is no administrator of the organisation.
    """
    owner = _owner(tx, caller, organisation)
    lock_organisation(tx, owner.id)
    row = texts_of(tx, [owner.id]).get((owner.id, kind))
    if row is not None:
        record(tx, caller, "message text dropped", owner.id, kind, before={"subject": row.subject, "body": row.body})
        tx.delete(row)
        tx.flush()
    return _view(kind, None)


@use_case
def try_message_text(
    tx: Session, caller: Caller, *, organisation: str, kind: Kind, subject: str, body: str
) -> MailBody:
    """What a text comes to with the facts of an example, in the organisation's name. Nothing is kept or sent.

    Raises:
        Forbidden: the caller is no administrator of the organisation.
        Invalid: see `check_text`.
    """
    owner = _owner(tx, caller, organisation)
    return mail_of(kind, check_text(kind, Text(subject, body)), FORMS[kind].example, owner)


def _owner(tx: Session, caller: Caller, organisation: str) -> OrganisationRow:
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, owner)
    return owner


def _check_version(row: MessageTextRow | None, version: int | None) -> None:
    present = row.version if row else 0
    if version is not None and version != present:
        raise EditedMeanwhile(
            f"this text is at version {present}, you changed {version}; look again and repeat", version=present
        )


def _view(kind: Kind, row: MessageTextRow | None) -> MessageTextBody:
    form = FORMS[kind]
    return MessageTextBody(
        kind=kind,
        when=form.when,
        subject=row.subject if row else form.text.subject,
        body=row.body if row else form.text.body,
        own=row is not None,
        placeholders=list(form.placeholders),
        version=row.version if row else 0,
    )
