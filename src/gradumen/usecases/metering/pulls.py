"""Feeds that the service fetches itself: from where, how often, and how that goes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.metering.pulls import (
    HOUR,
    PullKind,
    Window,
    due_windows,
    hour_of,
)
from gradumen.core.metering.readings import Reading
from gradumen.core.permissions import Right
from gradumen.store.metering import pulls as store
from gradumen.store.metering.deliveries import deliveries_by_number, lock_feed
from gradumen.store.metering.pulls import PulledFileRow, PullRow
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.pull_forms import checked_form
from gradumen.usecases.metering.readings import new_delivery, take
from gradumen.usecases.metering.stored_readings import Outcome
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, load_scope
from gradumen.wire.metering.pulls import PullBody, PullFileBody, PullForm

NO_FILES = (0, 0, None)
SLACK = HOUR
"""So much later than it should be a feed is behind."""


@dataclass(frozen=True, slots=True)
class Asking:
    """What is asked: the pull as it is written, its secret, the feed's seller, and the hours that are due, if any."""

    form: PullForm
    secret: str
    seller: str
    windows: Sequence[Window]


@use_case
def get_pull(tx: Session, caller: Caller, *, feed: str) -> PullBody:
    """How a feed is fetched; for members of its organisation, and those who may send to it.

    Raises:
        NotFound: no such feed in scope.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    return _view(tx, scope, owner, row, store.find_pull(tx, row.id))


@use_case
def list_pulls(tx: Session, caller: Caller, *, organisation: str) -> list[PullBody]:
    """The feeds of an organisation that are fetched, with how that goes, by slug; for its own members."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    return [_view(tx, scope, owner, feed, pull) for feed, pull in store.pulls_of(tx, owner.id)]


def _view(tx: Session, scope: Scope, owner: OrganisationRow, feed: FeedRow, pull: PullRow | None) -> PullBody:
    manages = scope.may(Right.MANAGE_FEEDS, owner.id)
    measured = pull is not None and PullKind(pull.kind).measured
    files, refused, _ = store.count_files(tx, [feed.id]).get(feed.id, NO_FILES)
    return PullBody(
        feed=f"{owner.slug}/{feed.slug}",
        name=feed.name,
        version=pull.version if pull else 0,
        kind=PullKind(pull.kind) if pull else None,
        pull=PullForm.model_validate(pull.form) if pull and manages else None,
        has_secret=bool(pull and manages and pull.sealed),
        paused=bool(pull and pull.paused),
        complete_until=pull.complete_until if pull and measured else None,
        behind=pull is not None and behind(pull, scope.now),
        problem=pull.problem if pull else None,
        failing_since=pull.failing_since if pull else None,
        quiet_from=pull.quiet_from if pull else None,
        files=files,
        refused_files=refused,
        last_run_at=pull.last_run_at if pull else None,
        next_run_at=pull.next_at if pull and not pull.paused else None,
    )


def behind(pull: PullRow, now: datetime) -> bool:
    """Whether more of a feed should be here by now; not of files, which come when they come, nor of what rests."""
    if not PullKind(pull.kind).measured:
        return False
    form = PullForm.model_validate(pull.form)
    late = timedelta(minutes=form.settles_minutes + form.every_minutes) + SLACK
    return not pull.paused and pull.complete_until < hour_of(now - late)


@use_case
def set_pull(tx: Session, caller: Caller, *, feed: str, version: int, form: PullForm, secret: str | None) -> PullBody:
    """Fetch a feed in this way from now on. The same again changes nothing.

    What is here already stays; the hours from ``starts_at`` on that are not here yet are fetched.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller does not manage feeds there.
        Invalid: something of it cannot be, as a meter that nobody publishes.
        EditedMeanwhile: it is at another version.
        Conflict: it is to be fetched from elsewhere, and the secret is not said anew; or the feed states costs.
    """
    scope = load_scope(tx, caller)
    found, owner = _managed(tx, scope, feed)
    row = lock_feed(tx, found.id)
    form = checked_form(tx, form, scope.now)
    if form.kind.measured and row.cost_meter_id is not None:
        raise Conflict(f"'{feed}' is a feed of costs; fetch usage by another feed")
    if not form.kind.measured and row.cost_meter_id is None and row.mapping is None:
        raise Conflict(
            f"nobody has said yet what files of '{feed}' are: map one, or say which meter its costs are of, then fetch"
        )
    written = form.model_dump(mode="json")
    pull = store.find_pull(tx, row.id, lock=True)
    if pull is not None and PullForm.model_validate(pull.form) == form and secret is None:
        return _view(tx, scope, owner, row, pull)
    check_unchanged("pull", pull.version if pull else 0, version)
    if pull is None:
        pull = PullRow(feed_id=row.id, version=0, sealed="", paused=False, complete_until=form.starts_at)
        tx.add(pull)
    elif form.starts_at != PullForm.model_validate(pull.form).starts_at:
        pull.complete_until = form.starts_at
    before = pull.form
    if secret is not None:
        pull.sealed = seals_of(tx).seal(secret) if secret else ""
    elif pull.sealed and not _same_place(PullForm.model_validate(pull.form), form):
        raise Conflict("its secret was entered for another address or user; enter it anew", field="secret")
    pull.kind, pull.form, pull.next_at = form.kind, written, caller.at
    pull.problem = pull.failing_since = None
    pull.version += 1
    tx.flush()
    record(tx, caller, "pull set", owner.id, feed, before=before, after={**written, "secret": secret is not None})
    return _view(tx, scope, owner, row, pull)


def _managed(tx: Session, scope: Scope, feed: str) -> tuple[FeedRow, OrganisationRow]:
    row, owner = get_feed(tx, scope, feed)
    scope.require(Right.MANAGE_FEEDS, owner)
    return row, owner


def _same_place(one: PullForm, other: PullForm) -> bool:
    return (one.kind, one.endpoint, one.user) == (other.kind, other.endpoint, other.user)


@use_case
def pause_pull(tx: Session, caller: Caller, *, feed: str, paused: bool) -> PullBody:
    """Let a pull rest, or go on; what was missed meanwhile is fetched then. Safe to repeat."""
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, feed)
    pull = _there(store.find_pull(tx, row.id, lock=True), feed)
    if pull.paused != paused:
        pull.paused, pull.next_at = paused, caller.at
        record(tx, caller, "pull paused" if paused else "pull resumed", owner.id, feed)
    return _view(tx, scope, owner, row, pull)


def _there(pull: PullRow | None, feed: str) -> PullRow:
    if pull is None:
        raise NotFound("pull", feed[:140])
    return pull


@use_case
def drop_pull(tx: Session, caller: Caller, *, feed: str) -> None:
    """Fetch a feed no more; what came stays. Asking again changes nothing."""
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, feed)
    pull = store.find_pull(tx, row.id, lock=True)
    if pull is not None:
        record(tx, caller, "pull dropped", owner.id, feed, before=pull.form)
        tx.delete(pull)


@use_case
def pull_again(tx: Session, caller: Caller, *, feed: str, since: datetime | None) -> PullBody:
    """Fetch what is due at once; with ``since`` all from that hour on once more, in the place of what came before.

    Raises:
        Conflict: it rests.
        Invalid: ``since`` is before its first hour, or not over yet.
    """
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, feed)
    pull = _there(store.find_pull(tx, row.id, lock=True), feed)
    if pull.paused:
        raise Conflict(f"'{feed}' rests; let it go on first")
    if since is not None:
        first = PullForm.model_validate(pull.form).starts_at
        if since.tzinfo is None or not first <= since <= scope.now:
            raise Invalid(
                f"since is a time with zone from {first:%Y-%m-%dT%H:%MZ}, its first hour, to now", field="since",
                value=since,
            )  # fmt: skip
        again = min(pull.complete_until, hour_of(since))
        pull.believed_until = max(pull.complete_until, pull.believed_until or pull.complete_until)
        if pull.quiet_from is not None and again <= pull.quiet_from:
            pull.quiet_from = None
        pull.complete_until = again
        pull.version += 1
        record(tx, caller, "pull repeated", owner.id, feed, after={"since": pull.complete_until})
    pull.next_at = caller.at
    tx.flush()
    return _view(tx, scope, owner, row, pull)


@use_case
def pull_to_try(tx: Session, caller: Caller, *, feed: str, form: PullForm, secret: str | None) -> Asking:
    """What is asked to try a pull: the last whole hour.

    Raises:
        NotFound, Forbidden, Invalid: as for setting it.
        Conflict: its secret is not at hand.
    """
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, feed)
    form = checked_form(tx, form, scope.now)
    pull = store.find_pull(tx, row.id)
    if secret is None:
        same = pull is not None and pull.sealed and _same_place(PullForm.model_validate(pull.form), form)
        secret = seals_of(tx).open(pull.sealed) if pull is not None and same else ""
    end = hour_of(scope.now)
    return Asking(form, secret, owner.slug, [(end - HOUR, end)])


@use_case
def list_pulled_files(
    tx: Session, caller: Caller, *, feed: str, refused: bool, after: str | None, limit: int
) -> list[PullFileBody]:
    """The files of a feed that were fetched, by name; for its organisation's own members."""
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    scope.require_member(Right.READ, owner)
    rows = store.page_of_files(tx, row.id, refused=refused, after=after, limit=limit)
    known = deliveries_by_number(tx, [each.delivery_id for each in rows if each.delivery_id is not None])
    return [_file(each, known) for each in rows]


def _file(row: PulledFileRow, deliveries: Mapping[int, DeliveryRow]) -> PullFileBody:
    delivery = None if row.delivery_id is None else deliveries.get(row.delivery_id)
    return PullFileBody(
        name=row.name,
        size=row.size,
        modified_at=row.modified_at,
        fetched_at=row.fetched_at,
        delivery=delivery.public_id if delivery else None,
        problem=row.problem,
        confirmable=row.confirmable,
        confirmed=row.confirmed,
    )


@use_case
def confirm_pulled_file(tx: Session, caller: Caller, *, feed: str, name: str) -> PullFileBody:
    """Take a fetched file as it is that lacks a person's word alone: it is read again at once. Safe to repeat.

    Raises:
        NotFound: no such file was fetched.
        Conflict: there is nothing to confirm.
    """
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, feed)
    pull = _there(store.find_pull(tx, row.id, lock=True), feed)
    file = store.find_file(tx, row.id, name)
    if file is None:
        raise NotFound("file", name[:140])
    if not file.confirmed:
        if not file.confirmable:
            raise Conflict(f"'{name[:140]}' {'was taken' if file.problem is None else 'needs more than that'}")
        file.confirmed, pull.next_at = True, caller.at
        record(tx, caller, "cost file confirmed", owner.id, name)
        tx.flush()
    return _file(file, {})


@use_case
def look_at_items(tx: Session, caller: Caller, *, feed: str, items: Sequence[Reading | Outcome]) -> list[Outcome]:
    """What would become of items, as far as catalogue and owners tell; nothing is taken in."""
    scope = load_scope(tx, caller)
    row, _ = _managed(tx, scope, feed)
    with tx.begin_nested() as trial:
        found = take(tx, scope, row, new_delivery(tx, caller, row), items)
        trial.rollback()
    return found


def windows_due(pull: PullRow, form: PullForm, now: datetime) -> list[Window]:
    """The hours of a pull that are due."""
    return due_windows(pull.complete_until, now, timedelta(minutes=form.settles_minutes))
