"""Routes of feeds that the service fetches itself."""

import time
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Annotated

from fastapi import Query, status

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.adapters.measuring import Measuring
from gradumen.adapters.sources import folder_of, servers_of, source_of
from gradumen.api.calls import CallerHere, DirectoriesHere, DoorHere, Uow, page_limit, page_of
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.core.errors import Conflict, Invalid, Unavailable
from gradumen.core.metering.pulls import HOUR, PullKind, Series, file_fits
from gradumen.core.metering.readings import Reading
from gradumen.feeds.series_readings import Ask, Found, hour_readings
from gradumen.feeds.server_readings import server_readings
from gradumen.usecases.metering import pulls
from gradumen.usecases.metering.pulls import Asking
from gradumen.usecases.metering.readings import unreadable
from gradumen.usecases.metering.stored_readings import REFUSED
from gradumen.wire.metering.deliveries import FileProblemBody, ReadingSeenBody
from gradumen.wire.metering.pulls import (
    PullAgain,
    PullBody,
    PullFileBody,
    PullFileConfirm,
    PullPause,
    PullQueryForm,
    PullSet,
    PullTriedBody,
    PullTry,
)
from gradumen.wire.values import Page

router = Router(tags=["feeds"])
SHOWN = 20
TRIED_SECONDS = 20.0
"""So long somebody waits for a try at most, and one call more."""


def _soon(source: Measuring) -> Ask:
    """Asks a source as long as somebody waits for it."""
    ends = time.monotonic() + TRIED_SECONDS

    def ask(queried: PullQueryForm, start: datetime, end: datetime, step_seconds: int) -> Iterable[Series]:
        if time.monotonic() > ends:
            raise Unavailable("it takes too long to try all queries at once; try fewer, or set it and see what comes")
        return source.over(queried, start, end, step_seconds)

    return ask


@router.get("/organisations/{organisation}/pulls")
def list_pulls(organisation: str, uow: Uow, caller: CallerHere) -> Page[PullBody]:
    """The feeds of a seller that the service fetches, with how that goes."""
    return Page(items=pulls.list_pulls(uow, caller, organisation=organisation))


@router.get("/feeds/pull")
def get_pull(feed: str, uow: Uow, caller: CallerHere) -> PullBody:
    """How the feed ``organisation/feed`` is fetched, and how that goes."""
    return pulls.get_pull(uow, caller, feed=feed)


@router.put("/feeds/pull")
def set_pull(
    feed: str, body: PullSet, uow: Uow, caller: CallerHere, door: DoorHere, directories: DirectoriesHere
) -> PullBody:
    """Fetch a feed from an address that the operator lets be called. Safe to repeat; the secret is never told again."""
    # Only to those who may is told what the operator opens.
    asking = pulls.pull_to_try(uow, caller, feed=feed, form=body.pull, secret=body.secret)
    if body.pull.kind is PullKind.DIRECTORY:
        directories.at(asking.seller, body.pull.endpoint)
    else:
        door.of(asking.seller).check(body.pull.endpoint, "endpoint")
    return pulls.set_pull(uow, caller, feed=feed, version=body.version, form=body.pull, secret=body.secret)


@router.delete("/feeds/pull", status_code=status.HTTP_204_NO_CONTENT)
def drop_pull(feed: str, uow: Uow, caller: CallerHere) -> None:
    """Fetch a feed no more; what came stays. Safe to repeat."""
    pulls.drop_pull(uow, caller, feed=feed)


@router.put("/feeds/pull/paused")
def pause_pull(feed: str, body: PullPause, uow: Uow, caller: CallerHere) -> PullBody:
    """Let it rest, or go on: what was missed meanwhile is fetched then. Safe to repeat."""
    return pulls.pause_pull(uow, caller, feed=feed, paused=body.paused)


@router.post("/feeds/pull/runs", status_code=status.HTTP_202_ACCEPTED)
def pull_again(feed: str, body: PullAgain, uow: Uow, caller: CallerHere) -> PullBody:
    """Fetch what is due at once, or all from an hour on once more, in the place of what came before. Safe to repeat."""
    return pulls.pull_again(uow, caller, feed=feed, since=body.since)


@router.get("/feeds/pull/files")
def list_pulled_files(
    feed: str,
    uow: Uow,
    caller: CallerHere,
    refused: bool = False,
    after: str | None = None,
    limit: Annotated[int, Query()] = 50,
) -> Page[PullFileBody]:
    """The files of a feed that were fetched, by name, with what became of each; or those that were not taken."""
    size = page_limit(limit)
    found = pulls.list_pulled_files(uow, caller, feed=feed, refused=refused, after=after, limit=size + 1)
    return page_of(found, size, lambda last: last.name)


@router.post("/feeds/pull/files/confirm")
def confirm_pulled_file(feed: str, body: PullFileConfirm, uow: Uow, caller: CallerHere) -> PullFileBody:
    """Take a file as it is that lacks a person's word alone: it is fetched again at once. Safe to repeat."""
    return pulls.confirm_pulled_file(uow, caller, feed=feed, name=body.name)


@router.post("/feeds/pull/try", dependencies=EXPENSIVE)
def try_pull(
    feed: str, body: PullTry, uow: Uow, caller: CallerHere, door: DoorHere, directories: DirectoriesHere
) -> PullTriedBody:
    """Ask for the last whole hour, or list the files, and tell what that would give. Takes nothing in."""
    asking = pulls.pull_to_try(uow, caller, feed=feed, form=body.pull, secret=body.secret)
    door = door.of(asking.seller)
    if not asking.form.kind.measured:
        return _tried_files(asking, door, directories)
    try:
        said, found = _asked(asking, door)
    except (Conflict, Invalid, Unavailable) as problem:
        return PullTriedBody(reached=False, said=problem.message)
    items = [each if isinstance(each, Reading) else unreadable(*each) for each in found]
    outcomes = pulls.look_at_items(uow, caller, feed=feed, items=items)
    fit = [
        (line, each)
        for line, (each, outcome) in enumerate(zip(items, outcomes, strict=True), 1)
        if isinstance(each, Reading) and outcome.status != REFUSED
    ]
    wrong = [(line, each) for line, each in enumerate(outcomes, 1) if each.status == REFUSED]
    return PullTriedBody(
        reached=True,
        said=said,
        readings=[ReadingSeenBody.of_line(line, each) for line, each in fit[:SHOWN]],
        count=len(fit),
        problems=[
            FileProblemBody(line=line, reason=each.reason or "", field=each.field) for line, each in wrong[:SHOWN]
        ],
        refused=len(wrong),
    )


def _asked(asking: Asking, door: Door) -> tuple[str, list[Found]]:
    """What a source says of itself, and what the last hour gives; of servers what they are in this one."""
    form, window = asking.form, asking.windows[0]
    if form.kind.hourly:
        with source_of(door, form, asking.secret) as source:
            return source.look(), list(hour_readings(_soon(source), form, window))
    now = datetime.now(UTC)
    with servers_of(door, form, asking.secret, seconds=TRIED_SECONDS) as cloud:
        look = cloud.look(now, now, whole=True)
    new = {each.name for each in form.queries}
    since = window[1]
    until = max(since, min(look.at, since + HOUR))
    told = server_readings(form.queries, look.servers, {}, since, until, new=new, source=form.endpoint)
    return look.said, list(told)


def _tried_files(asking: Asking, door: Door, directories: Directories) -> PullTriedBody:
    """What is in a folder that would be fetched."""
    form = asking.form
    try:
        with folder_of(door, directories, asking.seller, form, asking.secret) as folder:
            listed = folder.files()
            fit = [each for each in listed if file_fits(form.names, form.starts_at, each.name, each.modified)]
            if fit:
                folder.read(fit[-1])
    except (Conflict, Invalid, Unavailable) as problem:
        return PullTriedBody(reached=False, said=problem.message)
    names = ", ".join(each.name for each in fit[:3]) + (" ..." if len(fit) > 3 else "")
    said = f"{len(listed)} files, of which {len(fit)} would be fetched" + (f": {names}" if fit else "")
    return PullTriedBody(reached=True, said=said)
