"""Messages to people: written with what they tell, rendered and sent after it, read by those whose list they are in."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, NotFound, SealBroken
from gradumen.core.messages import FORMS, KEPT_TRYING, LINK, Kind, Mail, State, Text, pause_after, render
from gradumen.core.organisations.states import KEPT
from gradumen.core.permissions import Right, Role, may
from gradumen.core.retentions import MESSAGES
from gradumen.store import messages as store
from gradumen.store.access.members import members_of
from gradumen.store.access.tables import MemberRow, UserRow
from gradumen.store.messages import MessageRow
from gradumen.store.organisations.details import details_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.messages import MailBody, MessageBody, NoticeBody, NoticesBody

LEASE = timedelta(minutes=2)
"""How long a worker has a message before another may send it."""
NOTICES = 30


@dataclass(frozen=True, slots=True)
class Reader:
    """Whom a message is for: an address, and the user that it is of, if any."""

    email: str
    name: str
    user: UUID | None = None


def tell(
    tx: Session,
    kind: Kind,
    reader: Reader,
    facts: Mapping[str, str],
    *,
    at: datetime,
    organisation: UUID,
    sender: UUID,
    path: str,
    secret: str | None = None,
) -> None:
    """Put a message into the outbox, in the transaction of what it tells.

    Args:
        at: the real time.
        organisation: in whose list it stands: that of its reader, where that is one of its people.
        sender: whom it comes from, whose text it has.
        path: of the console, to what it is about.
        secret: the end of the link that nobody else reads; sealed until it is sent.
    """
    tx.add(
        MessageRow(
            id=uuid4(),
            organisation_id=organisation,
            from_id=sender,
            user_id=reader.user,
            email=reader.email[:200],
            kind=kind,
            facts={"name": reader.name, **facts},
            path=path,
            sealed=None if secret is None else seals_of(tx).seal(secret),
            state=State.WAITING,
            attempts=0,
            due_at=at,
            problem=None,
            created_at=at,
            sent_at=None,
            read_at=None,
        )
    )


def people_with(
    tx: Session, scope: Scope, organisation: UUID, right: Right, *, but: UUID | None = None
) -> list[Reader]:
    """The members of an organisation who have a right there now, all but one; none where nobody is let in."""
    if right not in KEPT[scope.tree.state(organisation)]:
        return []
    return [
        Reader(user.email, user.name, user.id)
        for user, member in members_of(tx, organisation)
        if member.disabled_at is None and may(Role(member.role), right) and user.id != but
    ]


def member_as_reader(tx: Session, organisation: UUID, user: UUID) -> list[Reader]:
    """A user as a reader, as long as it is a member: who has left is told nothing more."""
    member = tx.get(MemberRow, (user, organisation))
    if member is None or member.disabled_at is not None:
        return []
    row = tx.get_one(UserRow, user)
    return [Reader(row.email, row.name, row.id)]


def text_of(tx: Session, kind: Kind, sender: UUID) -> Text:
    """The text that messages of a sender have."""
    own = store.texts_of(tx, {sender}).get((sender, kind))
    return Text(own.subject, own.body) if own else FORMS[kind].text


def mail_of(kind: Kind, text: Text, facts: Mapping[str, str], sender: OrganisationRow) -> MailBody:
    """What a text comes to with facts; its link leads nowhere."""
    link = FORMS[kind].example[LINK]
    mail = render(kind, text, {**facts, LINK: link}, brand=sender.name)
    return MailBody(subject=mail.subject, text=mail.text, html=mail.html.replace(f'href="{link}"', 'href="#"'))


@dataclass(frozen=True, slots=True)
class Outgoing:
    """A message that is to be sent now."""

    id: UUID
    attempt: int
    email: str
    mail: Mail
    from_name: str
    reply_to: str | None
    created_at: datetime
    invoice: UUID | None


@use_case
def take_messages(tx: Session, *, at: datetime, address: str, most: int) -> list[Outgoing]:
    """Messages to send now; who takes them says what came of it within two minutes, else another sends them.

    What has a secret that no key opens fails here.
    """
    taken = store.take_messages(tx, at, LEASE, most)
    rows = [each.row for each in taken]
    texts, names = store.texts_of(tx, {row.from_id for row in rows}), _names(tx, rows)
    details = details_of(tx, {row.from_id for row in rows})
    found: list[Outgoing] = []
    for each in taken:
        row = each.row
        try:
            secret = seals_of(tx).open(row.sealed) if row.sealed else ""
        except SealBroken as broken:
            _fail(row, broken.message)
            continue
        own = details.get(row.from_id)
        invoice = row.facts.get("invoice")
        found.append(
            Outgoing(
                row.id,
                each.attempt,
                row.email,
                _rendered(row, texts, names, f"{address.rstrip('/')}{row.path}{secret}"),
                names[row.from_id].name,
                own.email if own else None,
                row.created_at,
                UUID(invoice) if invoice else None,
            )
        )
    return found


def _names(tx: Session, rows: Collection[MessageRow]) -> dict[UUID, OrganisationRow]:
    return organisations_by_id(tx, {each for row in rows for each in (row.organisation_id, row.from_id)})


def _rendered(
    row: MessageRow,
    texts: Mapping[tuple[UUID, str], store.MessageTextRow],
    names: Mapping[UUID, OrganisationRow],
    link: str,
) -> Mail:
    kind, own = Kind(row.kind), texts.get((row.from_id, row.kind))
    text = Text(own.subject, own.body) if own else FORMS[kind].text
    facts = {name: str(value) for name, value in row.facts.items() if value is not None}
    return render(kind, text, {**facts, LINK: link}, brand=names[row.from_id].name)


@use_case
def note_sent(tx: Session, *, message: UUID, attempt: int, at: datetime) -> None:
    """A message was taken by a mail server: its secret goes."""
    row = store.taken_message(tx, message, attempt)
    if row is not None:
        row.state, row.sent_at, row.due_at, row.problem, row.sealed = State.SENT, at, None, None, None


@use_case
def note_refused(tx: Session, *, message: UUID, attempt: int, problem: str, passing: bool, at: datetime) -> None:
    """A message was not taken: it is tried again after a rest, or has failed.

    Args:
        passing: whether the same may succeed later.
    """
    row = store.taken_message(tx, message, attempt)
    if row is None:
        return
    rest = pause_after(attempt) if passing else None
    if rest is None:
        _fail(row, problem)
    else:
        row.problem, row.due_at = problem[:300], at + rest


@use_case
def put_back(tx: Session, *, message: UUID, attempt: int, at: datetime) -> None:
    """A message was not tried after all: no mail server is set up, or none answers. It counts as no attempt."""
    row = store.taken_message(tx, message, attempt)
    if row is not None:
        row.attempts, row.due_at = row.attempts - 1, at


def _fail(row: MessageRow, problem: str) -> None:
    """It is tried no more; who is to look at it finds it in the list of its organisation."""
    row.state, row.problem, row.due_at = State.FAILED, problem[:300], None


@use_case
def list_messages(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    state: State | None,
    search: str,
    after: str | None,
    limit: int,
) -> list[MessageBody]:
    """What was sent to an organisation's people, and by it to others, the latest first; for its administrators.

    Raises:
        Forbidden: the caller is none of them.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, owner)
    place = moment_place(after)
    return _views(tx, store.page_of_messages(tx, owner.id, state=state, search=search, after=place, limit=limit))


@use_case
def retry_message(tx: Session, caller: Caller, *, message: UUID) -> MessageBody:
    """Have a message that failed sent again; asking again changes nothing.

    Raises:
        NotFound: there is none in a list that the caller reads.
        Conflict: it was sent already.
    """
    scope = load_scope(tx, caller)
    row = store.lock_message(tx, message)
    if row is None or not scope.is_member(row.organisation_id, Right.MANAGE_MEMBERS):
        raise NotFound("message", message)
    if row.state == State.SENT:
        raise Conflict("this message was sent already; what it tells is told")
    if row.state == State.FAILED:
        row.state, row.attempts, row.due_at, row.created_at = State.WAITING, 0, caller.at, caller.at
        record(tx, caller, "message sent again", row.organisation_id, f"{row.kind} to {row.email}")
    tx.flush()
    return _views(tx, [row])[0]


@use_case
def list_notices(tx: Session, caller: Caller) -> NoticesBody:
    """The latest of what was told to the caller."""
    rows = store.messages_to(tx, caller.user_id, NOTICES)
    return NoticesBody(
        items=[
            NoticeBody(
                id=view.id,
                kind=view.kind,
                subject=view.subject,
                from_name=view.from_name,
                path=view.path,
                created_at=view.created_at,
                unread=row.read_at is None,
            )
            for view, row in zip(_views(tx, rows), rows, strict=True)
        ],
        unread=store.count_unread(tx, caller.user_id),
    )


@use_case
def read_notices(tx: Session, caller: Caller, *, until: datetime) -> None:
    """The caller has seen what was told until a moment; asking again changes nothing."""
    store.note_read(tx, caller.user_id, until, caller.at)


@use_case
def forget_messages(tx: Session, *, at: datetime) -> None:
    """Give up what was not sent for three days, and drop what was told half a year ago."""
    for row in store.waiting_since(tx, at - KEPT_TRYING, 1000):
        _fail(row, row.problem or "no mail server took it within three days")
    store.drop_messages(tx, at - MESSAGES, 1000)


def _views(tx: Session, rows: list[MessageRow]) -> list[MessageBody]:
    names, texts = _names(tx, rows), store.texts_of(tx, {row.from_id for row in rows})
    found: list[MessageBody] = []
    for row in rows:
        mail = _rendered(row, texts, names, row.path)
        found.append(
            MessageBody(
                id=row.id,
                organisation=names[row.organisation_id].slug,
                from_organisation=names[row.from_id].slug,
                from_name=names[row.from_id].name,
                kind=Kind(row.kind),
                email=row.email,
                subject=mail.subject,
                text=mail.text,
                path=row.path,
                state=State(row.state),
                attempts=row.attempts,
                problem=row.problem,
                created_at=row.created_at,
                due_at=row.due_at,
                sent_at=row.sent_at,
            )
        )
    return found
