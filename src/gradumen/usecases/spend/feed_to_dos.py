"""What needs somebody of the ways in for usage."""

from collections.abc import Iterator
from datetime import datetime, timedelta

from gradumen.core.exact import figure
from gradumen.core.metering.feed_arrivals import Pace
from gradumen.core.metering.pulls import PullKind
from gradumen.core.units import counted
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.pulls import PullRow, count_files, pulls_of
from gradumen.store.metering.spells import sources_behind
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.spend import to_dos as store
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.cloud_feeds import unmeasured
from gradumen.usecases.metering.feed_arrivals import arrivals_of
from gradumen.usecases.metering.pulls import NO_FILES, behind
from gradumen.usecases.scope import Scope
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody
from gradumen.wire.spend.to_dos import ToDoBody, Weight

QUIET = timedelta(hours=24)
"""A feed of which nothing came for so long is quiet."""
RECENT = timedelta(days=7)
LATELY = timedelta(days=31)
"""Accounts that came since then are looked at."""


def feed_to_dos(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    """What is silent, late, refused or missing of a seller's feeds."""
    at = scope.caller.at
    pulled = dict(pulls_of(tx, owner.id))
    files = count_files(tx, [feed.id for feed in pulled])
    for feed, pull in pulled.items():
        _, refused, why = files.get(feed.id, NO_FILES)
        yield from _pulled(scope, f"{owner.slug}/{feed.slug}", pull, refused, why)
    silent = sources_behind(tx, owner.id, scope.now - QUIET)
    for slug, source, until, count in silent:
        yield ToDoBody(
            kind="feed",
            weight=Weight.FAILED,
            subject=f"{owner.slug}/{slug}",
            title=f"Source {source} of feed {owner.slug}/{slug} has fallen silent",
            detail=f"{counted(count, 'resource')} of it still there as far as is known, which is until "
            f"{until:%Y-%m-%d at %H:%M} UTC; until it tells more nothing later is charged",
            since=until,
        )
    # Of what is measured it is said how far it should be; files that stay away are silent.
    told = {feed.slug for feed, pull in pulled.items() if PullKind(pull.kind).measured} | {each[0] for each in silent}
    came = {each.feed: each for each in arrivals_of(tx, owner, feeds_of(tx, owner.id), at, scope.now)}
    for health in store.feeds_health(tx, owner.id, at - RECENT):
        if health.slug not in told:
            yield from _arrived(came[f"{owner.slug}/{health.slug}"], at)
        if health.refused:
            yield ToDoBody(
                kind="refused readings",
                weight=Weight.LOOK,
                subject=f"{owner.slug}/{health.slug}",
                title=f"{counted(health.refused, 'reading')} of feed {health.name} refused in the last seven days",
                detail=f"one of them: {health.refusal}" if health.refusal else "",
            )

    for cloud, feed_row, account in unmeasured(tx, owner, at - LATELY, at - QUIET):
        yield ToDoBody(
            kind="account",
            weight=Weight.LOOK,
            subject=f"{owner.slug}/{feed_row.slug}",
            title=f"Nothing was measured yet of account {account.name} in {cloud.name}",
            detail=f"it is there since {account.changed_at:%Y-%m-%d}; look whether its feed brings it, and whose it is",
            since=account.changed_at,
        )


def _arrived(came: FeedArrivalBody, at: datetime) -> Iterator[ToDoBody]:
    """A feed of which nothing comes though it should by now, or less than usual."""
    last, every = came.last_delivery, came.every_hours
    if last is None:
        return
    hours = int((at - last).total_seconds() // 3600)
    often = "" if every is None else f"; otherwise something comes every {counted(every, 'hour')}"
    # Until it is known how often something comes, a day is long.
    if came.pace == Pace.LATE or (every is None and at - last > QUIET):
        yield ToDoBody(
            kind="feed",
            weight=Weight.FAILED,
            subject=came.feed,
            title=f"Feed {came.feed_name} has been silent for {figure(hours)} hours",
            detail=f"what it last sent came on {last:%Y-%m-%d at %H:%M} UTC{often}",
            since=last,
        )
    elif came.pace == Pace.LESS:
        yield ToDoBody(
            kind="feed",
            weight=Weight.LOOK,
            subject=came.feed,
            title=f"Feed {came.feed_name} brings less than usual",
            detail=f"{counted(came.items, 'item')} in the last 24 hours, {figure(came.usual_items or 0)} on other days",
            since=last,
        )


def _pulled(scope: Scope, path: str, pull: PullRow, refused: int, why: str | None) -> Iterator[ToDoBody]:
    """A feed that is fetched: where nothing answers, more should be here by now, or something was not taken."""
    late = behind(pull, scope.now)
    lacks = [pull.problem] if pull.problem else []
    if pull.quiet_from is not None:
        lacks.append(
            f"nothing was measured from {pull.quiet_from:%Y-%m-%d %H:%M} UTC on; fetch it from there once more"
        )
    if refused:
        lacks.append(f"{counted(refused, 'file')} not taken, one because {why}")
    if lacks or late:
        here = [f"all is here until {pull.complete_until:%Y-%m-%d at %H:%M} UTC"] if late else []
        yield ToDoBody(
            kind="feed",
            weight=Weight.FAILED if late else Weight.LOOK,
            subject=path,
            title=f"Feed {path} is behind" if late else f"What was fetched of feed {path} lacks something",
            detail="; ".join([*here, *lacks]),
            since=pull.failing_since or pull.quiet_from or pull.last_run_at,
        )
