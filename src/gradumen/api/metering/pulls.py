"""Routes of feeds that the service fetches itself."""

import time
from collections.abc import Iterable
from datetime import datetime

from fastapi import APIRouter, status

from gradumen.adapters.measuring import Measuring
from gradumen.adapters.sources import source_of
from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, DoorHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.core.errors import Conflict, Invalid, Unavailable
from gradumen.core.metering.readings import Reading
from gradumen.feeds.series_readings import Ask, Seen, hour_readings
from gradumen.usecases.metering import pulls
from gradumen.usecases.metering.readings import REFUSED, unreadable
from gradumen.wire.metering.deliveries import FileProblemBody, ReadingSeenBody
from gradumen.wire.metering.pulls import PullAgain, PullBody, PullPause, PullQueryForm, PullSet, PullTriedBody, PullTry
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute, tags=["feeds"])
SHOWN = 20
TRIED_SECONDS = 20.0
"""So long somebody waits for a try at most, and one call more."""


def _soon(source: Measuring) -> Ask:
    """Asks a source as long as somebody waits for it."""
    ends = time.monotonic() + TRIED_SECONDS

    def ask(queried: PullQueryForm, start: datetime, end: datetime, step_seconds: int) -> Iterable[Seen]:
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
def set_pull(feed: str, body: PullSet, uow: Uow, caller: CallerHere, door: DoorHere) -> PullBody:
    """Fetch a feed from an address that the operator lets be called. Safe to repeat; the secret is never told again."""
    # Only to those who may is told what the operator lets be called.
    pulls.pull_to_try(uow, caller, feed=feed, form=body.pull, secret=body.secret)
    door.check(body.pull.endpoint, "endpoint")
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


@router.post("/feeds/pull/try", dependencies=EXPENSIVE)
def try_pull(feed: str, body: PullTry, uow: Uow, caller: CallerHere, door: DoorHere) -> PullTriedBody:
    """Ask for the last whole hour, and tell what it would give. Takes nothing in."""
    asking = pulls.pull_to_try(uow, caller, feed=feed, form=body.pull, secret=body.secret)
    try:
        with source_of(door, asking.form, asking.secret) as source:
            said = source.look()
            found = list(hour_readings(_soon(source), asking.form, asking.windows[0]))
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
