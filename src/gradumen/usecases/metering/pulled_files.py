"""Files that a run fetches of a feed: which are due, and what became of each."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID

import polars as pl

from gradumen.core.errors import EditedMeanwhile, GradumenError, Unavailable
from gradumen.core.metering.cost_frames import CostFrame
from gradumen.core.metering.imported_costs import AHEAD
from gradumen.core.metering.readings import Reading
from gradumen.core.organisations.states import KEPT
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store.metering import pulls as store
from gradumen.store.metering.cost_exports import hold_export
from gradumen.store.metering.deliveries import find_delivery, same_file
from gradumen.store.metering.pulls import PulledFileRow, PullRow
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.metering.cost_sets import Stated, new_export, stage
from gradumen.usecases.metering.deliveries import take_file
from gradumen.usecases.metering.imported_costs import take_export
from gradumen.usecases.metering.pull_runs import held_pull
from gradumen.usecases.metering.stored_readings import Outcome
from gradumen.usecases.scope import Scope, scope_of_nobody
from gradumen.wire.metering.deliveries import FileMappingForm
from gradumen.wire.metering.pulls import PullForm


@dataclass(frozen=True, slots=True)
class FilesAsked:
    """What a run is to fetch of a feed: ``known`` are the marks of files that need not be fetched again.

    Without a ``mapping`` they state costs, whose charges begin on ``latest`` at the latest. What was written
    after ``rested`` waits.
    """

    form: PullForm
    secret: str
    seller: str
    known: dict[str, str]
    mapping: FileMappingForm | None
    latest: date
    rested: datetime
    tried_with: str
    confirmed: dict[str, str]
    """Marks of files that are taken as they are, though they lose much."""


def tried_with(feed: FeedRow, pull: PullRow) -> str:
    """By what a file is read: one that was not taken is tried again when it is read otherwise."""
    return f"{pull.version}/{feed.mapping_version}/{feed.cost_meter_id or 0}"


@use_case
def files_to_fetch(tx: Session, *, lease: Lease, at: datetime) -> FilesAsked | None:
    """What is to be fetched; None where its seller is at rest."""
    row, pull = held_pull(tx, lease)
    scope = scope_of_nobody(tx, at)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    if pull.paused or Right.SEND_READINGS not in KEPT[scope.tree.state(owner.id)]:
        return None
    form, by = PullForm.model_validate(pull.form), tried_with(row, pull)
    fetched = store.files_of(tx, row.id)
    known = {
        name: each.mark
        for name, each in fetched.items()
        if each.problem is None or (each.tried_with == by and not each.confirmed)
    }
    costs = row.cost_meter_id is not None
    return FilesAsked(
        form=form,
        secret=seals_of(tx).open(pull.sealed) if pull.sealed else "",
        seller=owner.slug,
        known=known,
        mapping=None if costs or row.mapping is None else FileMappingForm.model_validate(row.mapping),
        latest=(scope.now + AHEAD).date(),
        # How old a file is says its own clock, the real one.
        rested=at - timedelta(minutes=form.settles_minutes),
        tried_with=by,
        confirmed={name: each.mark for name, each in fetched.items() if each.confirmed},
    )


@use_case
def forget_gone(tx: Session, *, lease: Lease, there: Collection[str]) -> None:
    """What was not taken and is not there any more needs nobody."""
    row, _ = held_pull(tx, lease)
    store.forget_refused(tx, row.id, there)


@dataclass(frozen=True, slots=True)
class Fetched:
    """A file as it was listed, and what it is: readings, costs, or why it is neither."""

    name: str
    mark: str
    size: int
    modified: datetime
    readings: tuple[bytes, Sequence[Reading | Outcome]] | None = None
    """By the hash of the content and its mapping."""
    costs: tuple[Stated, int | None] | None = None
    """Costs, and the number of the export whose rows are all there; None where the file came before."""
    problem: str | None = None


@use_case
def begin_costs(tx: Session, *, lease: Lease, stated: Stated, at: datetime) -> int | None:
    """The number of a new export for a file of costs; None where the same file came before.

    Raises:
        Invalid: it was written at a time that cannot be.
    """
    row, _ = held_pull(tx, lease)
    if same_file(tx, row.id, stated.content_hash) is not None:
        return None
    return new_export(tx, row.id, stated, scope_of_nobody(tx, at).now, at).id


@use_case
def keep_costs(
    tx: Session, *, lease: Lease, export: int, position: int, frame: CostFrame, known: pl.DataFrame
) -> pl.DataFrame:
    """Keep a batch of a file's rows; see `gradumen.usecases.metering.cost_sets.stage`."""
    held_pull(tx, lease)
    held = hold_export(tx, export)
    if held is None:
        raise Unavailable("what was read of it is gone; it is read again")
    return stage(tx, held, position, frame, known)


@use_case
def take_fetched(tx: Session, *, lease: Lease, asked: FilesAsked, file: Fetched, at: datetime) -> bool:
    """Take a file in, whole, or note why it is not taken; gives whether it was.

    Raises:
        EditedMeanwhile: how it is fetched or read was changed meanwhile.
    """
    row, pull = held_pull(tx, lease)
    if tried_with(row, pull) != asked.tried_with:
        raise EditedMeanwhile("how this feed is fetched was changed meanwhile", version=pull.version)
    delivery, problem, confirmable = None, file.problem, False
    try:
        with tx.begin_nested():
            delivery = _take(tx, row, file, at)
    except Unavailable:
        raise
    except GradumenError as error:
        problem, confirmable = error.message, error.facts.get("field") == "confirmed"
    noted = tx.get(PulledFileRow, (row.id, file.name))
    if noted is None:
        noted = PulledFileRow(feed_id=row.id, name=file.name)
        tx.add(noted)
    noted.mark, noted.size, noted.modified_at, noted.fetched_at = file.mark, file.size, file.modified, at
    noted.delivery_id, noted.problem = delivery, None if problem is None else problem[:500]
    noted.tried_with, noted.confirmable, noted.confirmed = asked.tried_with, confirmable, False
    return problem is None


def _take(tx: Session, row: FeedRow, file: Fetched, at: datetime) -> int | None:
    """Take what a file has into a delivery; gives its number."""
    scope = scope_of_nobody(tx, at)
    if file.readings is not None:
        told = UUID(take_file(tx, scope, row, file.name, *file.readings).delivery_id)
    elif file.costs is not None:
        return _take_costs(tx, scope, row, *file.costs)
    else:
        return None
    made = find_delivery(tx, told)
    return made.id if made is not None else None


def _take_costs(tx: Session, scope: Scope, row: FeedRow, stated: Stated, number: int | None) -> int | None:
    """Let costs count whose rows are all there; gives the delivery's number."""
    before = same_file(tx, row.id, stated.content_hash)
    if before is not None:
        return before.id
    export = None if number is None else hold_export(tx, number)
    if export is None:
        raise Unavailable("what was read of it is gone; it is read again")
    made = find_delivery(tx, take_export(tx, scope, row, stated, export).delivery_id)
    return made.id if made is not None else None
