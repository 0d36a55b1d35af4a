"""Servers of a cloud as readings of what holds until it changes, and as lists of all that is there."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from gradumen.core.catalogue.services import PHASE
from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.life_events import CHANGED, MADE, MOST_LISTED, Listing, listing_of, read_life_event
from gradumen.core.metering.life_events import GONE as IS_GONE
from gradumen.core.metering.readings import Reading
from gradumen.core.metering.server_lives import GONE, RUNNING, Action, Server, moments, steady
from gradumen.feeds.series_readings import Found
from gradumen.wire.metering.pulls import PullQueryForm

SINCE = datetime(2020, 1, 1, tzinfo=UTC)
"""Sequences count seconds from here."""
OVERLAP = timedelta(minutes=5)
"""So long before the last look servers are told of again: what was under way then may have shown only afterwards."""


def server_readings(
    queries: Sequence[PullQueryForm],
    changed: Sequence[Server],
    actions: Mapping[str, Sequence[Action]],
    since: datetime,
    until: datetime,
    *,
    new: Collection[str],
    source: str,
) -> Iterator[Found]:
    """What servers were from when on, by each query; what is told again later has a higher sequence.

    Args:
        since: of the last look.
        new: names of queries by which nothing was told before.
        source: by which readings say where they come from, as the address that was asked.
    """
    for queried in queries:
        is_new = queried.name in new
        for server in changed:
            done = actions.get(server.id, ())
            told = moments(server, done, since if is_new else since - OVERLAP, until, is_new=is_new)
            for place, (at, status) in enumerate(told):
                counted = _phase(queried, status)
                # What is not counted from its beginning on has not begun.
                if counted is None and not place and at != server.ended and (is_new or at == server.begun):
                    continue
                kind = IS_GONE if counted is None else MADE if at == server.begun else CHANGED
                yield _reading(queried, server, kind, counted, at, until, source)


def server_lists(
    queries: Sequence[PullQueryForm],
    there: Iterable[Server],
    accounts: Mapping[str, Collection[str]],
    at: datetime,
    source: str,
) -> Iterator[Listing]:
    """All that is there of each query and account at a moment.

    Of an account with more than a list may have, or with something that cannot be read, there is none.

    Args:
        there: those that are there now, and those that went since that moment.
        accounts: by meter those of which something was there before.
    """
    for queried in queries:
        of: dict[str, list[Found]] = {each: [] for each in sorted({*accounts.get(queried.meter, ())})}
        for server in there:
            counted = _phase(queried, steady(server.status) if server.ended is None else RUNNING)
            gone = server.ended is not None and server.ended <= at
            if server.begun is not None and server.begun <= at and not gone and counted is not None:
                found = _reading(queried, server, CHANGED, counted, at, at, source, listed=True)
                of.setdefault(_account(queried, server) or "", []).append(found)
        for account, listed in of.items():
            readings = [each for each in listed if isinstance(each, Reading)]
            if len(readings) == len(listed) <= MOST_LISTED:
                id = f"{queried.name}/there/{account}/{at:%Y-%m-%dT%H:%M:%S}"
                yield listing_of(source, id, queried.meter, account or None, at, readings)


def _phase(queried: PullQueryForm, status: str) -> str | None:
    """The phase of a status, empty where phases are not told apart; None where it is not counted."""
    if status == GONE:
        return None
    return queried.phases.get(status) if queried.phases else ""


def _account(queried: PullQueryForm, server: Server) -> str | None:
    return server.labels.get(queried.account) if queried.account else None


def _reading(
    queried: PullQueryForm,
    server: Server,
    kind: str,
    phase: str | None,
    at: datetime,
    until: datetime,
    source: str,
    *,
    listed: bool = False,
) -> Found:
    id = f"{queried.name}/{server.id}/{at:%Y-%m-%dT%H:%M:%S}{'/there' if listed else ''}"
    try:
        wanted = {*queried.resource, *queried.attributes.values()}
        missing = sorted(each for each in wanted if not server.labels.get(each))
        if missing and kind != IS_GONE:
            has = ", ".join(sorted(server.labels))[:200]
            raise Invalid(f"server '{server.id}' has no label {', '.join(missing)}; it has {has}", field="query")
        data: dict[str, Any] = {
            "resource": "/".join(server.labels.get(each, "?") for each in queried.resource),
            "meter": queried.meter,
            "unit": queried.unit,
            "at": at.isoformat(),
            "account": _account(queried, server),
            "owner": server.labels.get(queried.owner) if queried.owner else None,
            "sequence": (until - SINCE) // timedelta(seconds=1),
        }
        if kind != IS_GONE:
            data |= {
                "quantity": text(server.amounts[queried.query]),
                "attributes": {attribute: server.labels[label] for attribute, label in queried.attributes.items()},
            } | ({PHASE: phase} if phase else {})
        return read_life_event(kind, source, id, data)
    except Invalid as problem:
        return id[:191], problem
