"""Cost files that come in pieces: begun, sent on after whatever breaks off, confirmed or given up."""

import hashlib
from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.metering.uploads import PIECE, UploadState, piece_size, pieces_of
from gradumen.core.permissions import Right
from gradumen.core.retentions import UPLOADS_BEGUN, UPLOADS_WAITING
from gradumen.store import tasks
from gradumen.store.access.members import emails_of
from gradumen.store.metering import cost_exports as exports
from gradumen.store.metering import uploads as store
from gradumen.store.metering.deliveries import deliveries_by_number, lock_feed
from gradumen.store.metering.tables import FeedRow
from gradumen.store.metering.uploads import UploadRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.metering.cost_sets import Stated, export_time, new_export
from gradumen.usecases.metering.feeds import feed_to_send, get_feed, may_send
from gradumen.usecases.metering.imported_costs import require_meter
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.usecases.tasks import COST_FILE
from gradumen.wire.metering.uploads import UploadBegin, UploadBody

SHOWN, MOST = 50, 300
"""Files on their way to a feed, or refused, that are listed, and that there may be."""
UNDER_WAY = (UploadState.SENDING, UploadState.READING, UploadState.WAITING, UploadState.REFUSED)
SENT_ON, KEPT_DAYS = (UploadState.SENDING,), UPLOADS_BEGUN
"""How long what was sent of a file waits for the rest."""
DECIDED, DECIDED_DAYS = (UploadState.WAITING, UploadState.REFUSED), UPLOADS_WAITING
"""How long a file waits for others of its export, or for a person."""
LEFT_OVER = timedelta(days=1)
"""How long what was read of a file that was fetched waits to be taken."""


@use_case
def begin_upload(tx: Session, caller: Caller, *, feed: str, form: UploadBegin) -> UploadBody:
    """Begin to send a cost file in pieces. The same file again is sent on where it stopped, or stays taken.

    One that was refused is read once more.

    Raises:
        NotFound, Forbidden: as `feed_to_send`.
        Conflict: nobody said which meter the feed's costs are of, or another file is this part of its export.
        Invalid: it says nothing of when its export was written, or something that cannot be.
    """
    scope = load_scope(tx, caller)
    row = lock_feed(tx, feed_to_send(tx, scope, feed).id)
    require_meter(row, feed)
    _check(form)
    told = f"{form.exported_at} {form.first} {form.last} {form.part} {form.parts}"
    known_by = hashlib.sha256(f"{form.sha256} {told}".encode()).digest()[:16]
    upload = store.known_upload(tx, row.id, known_by)
    if upload is None:
        digest = bytes.fromhex(form.sha256)
        upload = UploadRow(
            public_id=uuid4(), feed_id=row.id, known_by=known_by, digest=digest, begun_by=caller.somebody
        )
        _begin(tx, scope, row, upload, form)
    elif upload.state == UploadState.GIVEN_UP or _was_taken_back(tx, upload):
        store.drop_pieces(tx, upload.id)
        _begin(tx, scope, row, upload, form)
    elif upload.state == UploadState.REFUSED:
        upload.confirmed = form.confirmed
        _read(tx, scope, row, upload)
    if upload.state != UploadState.TAKEN:
        # Of two who send the same, the one who goes on with it.
        upload.begun_by = caller.somebody
    return _view(tx, upload)


def _check(form: UploadBegin) -> None:
    if form.part > form.parts:
        raise Invalid(f"part {form.part} is none of {form.parts} files", field="part", value=form.part)
    if form.parts > 1 and form.exported_at is None:
        raise Invalid("say when the export was written (exported_at): its files are known by that", field="exported_at")


def _begin(tx: Session, scope: Scope, feed: FeedRow, upload: UploadRow, form: UploadBegin) -> None:
    """Let a file be sent from its begin, as a part of the export that it is of."""
    revision = export_time(form.exported_at, scope.now)
    export = exports.find_export(tx, feed.id, revision, form.parts) if form.parts > 1 else None
    if export is None:
        stated = Stated("", b"", revision, form.first, form.last, form.confirmed)
        export = new_export(tx, feed.id, stated, scope.now, scope.caller.at, form.parts)
    if (export.first, export.last) != (form.first, form.last):
        raise Conflict(
            f"other files of the export of {revision:%Y-%m-%d %H:%M} state {_days(export.first, export.last)}, "
            f"this one {_days(form.first, form.last)}; say the same for all of them",
            field="first",
        )
    part = form.part - 1
    rival = next((each for each in store.of_export(tx, export.id) if each.part == part and each is not upload), None)
    if rival is not None:
        raise Conflict(
            f"'{rival.name}' is file {form.part} of the export of {revision:%Y-%m-%d %H:%M}; give that one up first",
            field="part",
        )
    if len(store.uploads_of(tx, feed.id, UNDER_WAY, MOST)) >= MOST:
        raise Conflict(f"{MOST} files are on their way to this feed; give up those that will not be sent on")
    at = scope.caller.at
    upload.name, upload.size, upload.confirmed = form.name, form.size, form.confirmed
    upload.export_id, upload.part = export.id, part
    upload.state, upload.problem, upload.confirmable = UploadState.SENDING, None, False
    upload.begun_at = upload.changed_at = at
    upload.staged_at = upload.delivery_id = upload.task_id = None
    tx.add(upload)
    tx.flush()


def _days(first: object, last: object) -> str:
    return f"{first or 'their first day'} to {last or 'their last'}"


def _was_taken_back(tx: Session, upload: UploadRow) -> bool:
    if upload.delivery_id is None:
        return False
    return deliveries_by_number(tx, [upload.delivery_id])[upload.delivery_id].taken_back_by is not None


@use_case
def send_piece(tx: Session, caller: Caller, *, upload: UUID, number: int, content: bytes) -> UploadBody:
    """Take a piece; with the last of those that are missing the file is read. Safe to repeat.

    Raises:
        NotFound: no such upload that the caller may see.
        Forbidden: it may see it, but not send to its feed.
        Invalid: there is no such piece, or it has another size.
        Conflict: the file was given up.
    """
    scope = load_scope(tx, caller)
    row, feed = _get(tx, scope, upload)
    count = pieces_of(row.size)
    if not 0 <= number < count:
        raise Invalid(f"the file has pieces 0 to {count - 1}, there is no {number}", field="number", value=number)
    size = piece_size(row.size, number)
    if len(content) != size:
        raise Invalid(f"piece {number} has {size} bytes, {len(content)} came", field="content", value=len(content))
    if row.state == UploadState.GIVEN_UP:
        raise Conflict(f"'{row.name}' was given up; begin to send it anew")
    if row.state == UploadState.SENDING:
        store.put_piece(tx, row.id, number, content)
        row.changed_at = caller.at
        if len(store.pieces_there(tx, [row.id]).get(row.id, ())) == count:
            _read(tx, scope, feed, row)
    return _view(tx, row)


def _read(tx: Session, scope: Scope, feed: FeedRow, upload: UploadRow) -> None:
    """Have a file read that is there whole."""
    owner = tx.get_one(OrganisationRow, feed.organisation_id)
    subject = f"{owner.slug}/{feed.slug} {upload.name}"
    _end_task(tx, upload, scope.caller.at)
    task = tasks.add_task(
        tx, COST_FILE, subject, at=scope.caller.at, organisation=owner.id, asked_by=scope.caller.somebody,
        inputs={"upload": upload.id}, counted="rows",
    )  # fmt: skip
    upload.state, upload.problem, upload.confirmable = UploadState.READING, None, False
    upload.task_id, upload.changed_at = task.id, scope.caller.at
    tx.flush()


def _end_task(tx: Session, upload: UploadRow, at: datetime) -> None:
    if upload.task_id is not None:
        tasks.end_task(tx, upload.task_id, at)


@use_case
def read_upload(tx: Session, caller: Caller, *, upload: UUID) -> UploadBody:
    """A file that comes in pieces, and how far it is; for members of its feed's organisation, a sender sees its own.

    Raises:
        NotFound: no such upload that the caller may see.
    """
    return _view(tx, _seen(tx, load_scope(tx, caller), upload)[0])


@use_case
def list_uploads(tx: Session, caller: Caller, *, feed: str) -> list[UploadBody]:
    """What is on its way to a feed or needs a person, the newest first; a sender sees its own.

    Raises:
        NotFound: no such feed in scope.
    """
    scope = load_scope(tx, caller)
    row, _ = get_feed(tx, scope, feed)
    found = store.uploads_of(tx, row.id, UNDER_WAY, SHOWN)
    return _views(tx, [each for each in found if _sees(tx, scope, row, each)])


@use_case
def confirm_upload(tx: Session, caller: Caller, *, upload: UUID) -> UploadBody:
    """Take a file as it is that lacks a person's word alone. Safe to repeat.

    Raises:
        NotFound: no such upload that the caller may see.
        Forbidden: it may see it, but not send to its feed.
        Conflict: there is nothing to confirm.
    """
    scope = load_scope(tx, caller)
    row, feed = _get(tx, scope, upload)
    if row.state == UploadState.REFUSED and row.confirmable:
        row.confirmed = True
        record(tx, caller, "cost file confirmed", feed.organisation_id, row.name)
        _read(tx, scope, feed, row)
    elif not row.confirmed:
        raise Conflict(f"'{row.name}' is {row.state}; there is nothing to confirm")
    return _view(tx, row)


@use_case
def give_up_upload(tx: Session, caller: Caller, *, upload: UUID) -> UploadBody:
    """Forget what came of a file. Safe to repeat.

    Raises:
        NotFound: no such upload that the caller may see.
        Forbidden: it may see it, but not send to its feed.
        Conflict: it counts already; take its delivery back instead.
    """
    row, _ = _get(tx, load_scope(tx, caller), upload)
    if row.state == UploadState.TAKEN:
        raise Conflict(f"'{row.name}' counts already; take back its delivery instead")
    _give_up(tx, row, caller.at)
    return _view(tx, row)


def _give_up(tx: Session, row: UploadRow, at: datetime) -> None:
    _end_task(tx, row, at)
    row.state, row.changed_at = UploadState.GIVEN_UP, at
    store.drop_pieces(tx, row.id)
    tx.flush()


def _get(tx: Session, scope: Scope, upload: UUID) -> tuple[UploadRow, FeedRow]:
    """An upload that the caller may act on, for a decision; its feed is held before it."""
    found, feed = _seen(tx, scope, upload)
    if not may_send(tx, scope, feed):
        owner = tx.get_one(OrganisationRow, feed.organisation_id)
        raise Forbidden(right=Right.SEND_READINGS, organisation=owner.slug, name=owner.name)
    held = lock_feed(tx, feed.id)
    row = store.lock_upload(tx, found.id)
    assert row is not None, "uploads are never removed"
    return row, held


def _seen(tx: Session, scope: Scope, upload: UUID) -> tuple[UploadRow, FeedRow]:
    """An upload, for members of its feed's organisation; a sender sees its own."""
    row = store.find_upload(tx, upload)
    feed = None if row is None else tx.get_one(FeedRow, row.feed_id)
    if row is None or feed is None or not _sees(tx, scope, feed, row):
        raise NotFound("upload", upload)
    return row, feed


def _sees(tx: Session, scope: Scope, feed: FeedRow, row: UploadRow) -> bool:
    if scope.is_member(feed.organisation_id):
        return True
    return row.begun_by == scope.caller.user_id and may_send(tx, scope, feed)


def _view(tx: Session, row: UploadRow) -> UploadBody:
    return _views(tx, [row])[0]


def _views(tx: Session, rows: Sequence[UploadRow]) -> list[UploadBody]:
    """Files of one feed as they are told."""
    if not rows:
        return []
    feed = tx.get_one(FeedRow, rows[0].feed_id)
    path = f"{tx.get_one(OrganisationRow, feed.organisation_id).slug}/{feed.slug}"
    of_exports = exports.exports_by_number(tx, {each.export_id for each in rows if each.export_id is not None})
    read = {each.id: each.made for each in tasks.tasks_by_id(tx, {row.task_id for row in rows if row.task_id})}
    there = store.pieces_there(tx, [each.id for each in rows if each.state == UploadState.SENDING])
    users = emails_of(tx, {each.begun_by for each in rows if each.begun_by})
    deliveries = deliveries_by_number(tx, [each.delivery_id for each in rows if each.delivery_id is not None])
    bodies = []
    for row in rows:
        export = of_exports.get(row.export_id or 0)
        delivery = deliveries.get(row.delivery_id or 0)
        count, came = pieces_of(row.size), there.get(row.id, set())
        sending = row.state == UploadState.SENDING
        bodies.append(
            UploadBody(
                id=row.public_id,
                feed=path,
                name=row.name,
                size=row.size,
                piece_bytes=PIECE,
                pieces=count,
                missing=[each for each in range(count) if each not in came] if sending else [],
                exported_at=export.revision if export else None,
                part=row.part + 1,
                parts=export.parts if export else 1,
                state=row.state,
                problem=row.problem,
                confirmable=row.confirmable,
                rows=read.get(row.task_id, 0) if row.task_id else 0,
                begun_by=users.get(row.begun_by) if row.begun_by else None,
                begun_at=row.begun_at,
                delivery_id=delivery.public_id if delivery else None,
                task=row.task_id,
            )
        )
    return bodies


@use_case
def give_up_left(tx: Session, *, at: datetime) -> Sequence[int]:
    """Give up what nobody went on with for long; gives all uploads whose rows are to be removed, by number."""
    for states, kept in ((SENT_ON, KEPT_DAYS), (DECIDED, DECIDED_DAYS)):
        for each in store.left_uploads(tx, states, at - kept):
            row = store.lock_upload(tx, each)
            if row is not None and row.state in states:
                _give_up(tx, row, at)
    return store.ended_uploads(tx)


@use_case
def left_over(tx: Session, *, at: datetime) -> Sequence[int]:
    """Exports of files that were fetched and never taken, by number: they were refused, or their worker died."""
    return exports.left_exports(tx, store.exports_of_uploads(), at - LEFT_OVER)


@use_case
def remove_left(tx: Session, *, export: int) -> bool:
    """Remove some of what was read of such a file; gives whether some is left."""
    row = exports.hold_export(tx, export)
    if row is None or row.delivery_id is not None:
        return False
    if exports.drop_staged(tx, export, 0):
        return True
    exports.drop_export(tx, export)
    return False


@use_case
def remove_rows(tx: Session, *, upload: int) -> bool:
    """Remove some of the rows that were read of a file that was given up; gives whether some are left."""
    row = store.lock_upload(tx, upload)
    if row is None or row.state != UploadState.GIVEN_UP or row.export_id is None:
        return False
    exports.hold_export(tx, row.export_id)
    # Where another file took its part, the rows there are that one's.
    parts = {each.part for each in store.of_export(tx, row.export_id)}
    if row.part not in parts and exports.drop_staged(tx, row.export_id, row.part):
        return True
    number, row.export_id = row.export_id, None
    tx.flush()
    if not store.has_uploads(tx, number):
        exports.drop_export(tx, number)
    return False
