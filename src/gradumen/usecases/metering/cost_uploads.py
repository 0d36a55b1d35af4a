"""Cost files that came in pieces, as a task takes them in: rows batch by batch, then the whole export at once."""

import hashlib
from dataclasses import dataclass
from datetime import date, datetime

import polars as pl

from gradumen.core.errors import Conflict, GradumenError
from gradumen.core.metering.cost_frames import CostFrame
from gradumen.core.metering.imported_costs import AHEAD
from gradumen.core.metering.uploads import UploadState, pieces_of
from gradumen.core.tasks import Lease
from gradumen.store.metering import cost_exports as exports
from gradumen.store.metering import uploads as store
from gradumen.store.metering.cost_exports import PLACES, CostExportRow
from gradumen.store.metering.deliveries import lock_feed
from gradumen.store.metering.uploads import UploadRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.metering.cost_sets import settle, stage
from gradumen.usecases.metering.readings import new_delivery
from gradumen.usecases.scope import NOBODY, Caller, scope_of_nobody
from gradumen.usecases.tasks import require_lease


@dataclass(frozen=True, slots=True)
class CameWhole:
    """A file whose pieces are all there; ``read`` says that its rows are, too."""

    name: str
    pieces: int
    digest: bytes
    latest: date
    read: bool


@use_case
def upload_to_read(tx: Session, *, lease: Lease, at: datetime) -> CameWhole:
    """What a task is to read; after a problem it reads anew.

    Raises:
        Conflict: another worker has the task now, or the file was given up.
    """
    row, export = _held(tx, lease)
    if export.delivery_id is None:
        row.state, row.problem, row.confirmable = UploadState.READING, None, False
    scope = scope_of_nobody(tx, at)
    return CameWhole(row.name, pieces_of(row.size), row.digest, (scope.now + AHEAD).date(), row.staged_at is not None)


def _held(tx: Session, lease: Lease) -> tuple[UploadRow, CostExportRow]:
    """A task's upload and its export, each in this worker's hands."""
    require_lease(tx, lease)
    found = tx.get_one(UploadRow, lease.inputs["upload"])
    lock_feed(tx, found.feed_id)
    row = store.lock_upload(tx, found.id)
    assert row is not None, "uploads are never removed"
    export = None if row.export_id is None else exports.hold_export(tx, row.export_id)
    if row.task_id != lease.task or row.state == UploadState.GIVEN_UP or export is None:
        raise Conflict(f"'{row.name}' was given up, or is read by another task")
    return row, export


@use_case
def read_piece(tx: Session, *, lease: Lease, number: int) -> bytes:
    """A piece of the file."""
    content = store.read_piece(tx, lease.inputs["upload"], number)
    if content is None:
        raise Conflict("the file was given up")
    return content


@use_case
def remove_read(tx: Session, *, lease: Lease) -> bool:
    """Remove some of the rows that an attempt before kept; gives whether some are left."""
    row, export = _held(tx, lease)
    return exports.drop_staged(tx, export.id, row.part)


@use_case
def keep_rows(tx: Session, *, lease: Lease, position: int, frame: CostFrame, known: pl.DataFrame) -> pl.DataFrame:
    """Keep a batch of rows without any effect yet; see `gradumen.usecases.metering.cost_sets.stage`.

    Args:
        position: of the first of them in the file.
    """
    row, export = _held(tx, lease)
    return stage(tx, export, row.part * PLACES + position, frame, known)


@use_case
def refuse_upload(tx: Session, *, lease: Lease, problem: GradumenError, at: datetime) -> None:
    """Note why a file is not taken; a person decides then."""
    row, _ = _held(tx, lease)
    row.state, row.problem, row.changed_at = UploadState.REFUSED, problem.message[:1000], at
    row.confirmable = problem.facts.get("field") == "confirmed"


@use_case
def end_reading(tx: Session, *, lease: Lease, at: datetime) -> None:
    """Note that all rows are kept."""
    row, export = _held(tx, lease)
    if export.delivery_id is None:
        row.staged_at = row.changed_at = at


@use_case
def settle_upload(tx: Session, *, lease: Lease, at: datetime) -> dict[str, object]:
    """Let an export count once all of its files were read; tells what became of it. Safe to repeat.

    Until then the file waits. Whether one was given up meanwhile is seen here, where the export is held.

    Raises:
        Invalid, Conflict: as `gradumen.usecases.metering.cost_sets.settle`.
    """
    row, export = _held(tx, lease)
    if export.delivery_id is not None:
        return {}
    files = store.of_export(tx, export.id)
    missing = export.parts - sum(each.staged_at is not None for each in files)
    if missing:
        row.state = UploadState.WAITING
        return {"files missing": missing}
    known_by = hashlib.sha256(b"".join(each.known_by for each in files)).digest()[:16]
    name = row.name if export.parts == 1 else f"{files[0].name} and {export.parts - 1} more"
    sender = Caller(row.begun_by or NOBODY, "", "", {}, at)
    delivery = new_delivery(tx, sender, lock_feed(tx, row.feed_id), file_name=name[:180], content_hash=known_by)
    body = settle(tx, export, delivery, confirmed=any(each.confirmed for each in files), at=at)
    for each in files:
        each.state, each.problem, each.confirmable, each.changed_at = UploadState.TAKEN, None, False, at
        each.delivery_id = delivery.id
        store.drop_pieces(tx, each.id)
    return {"rows": body.rows, "days": body.days, "replaced": body.replaced, "older": body.older}
