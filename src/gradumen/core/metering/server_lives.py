"""What a compute service tells of its servers, as moments from which on each was in a status, or gone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

GONE = "deleted"
RUNNING = "active"
_RUNS_MEANWHILE = frozenset(
    ("reboot", "hard_reboot", "password", "rebuild", "migrating", "resize", "verify_resize", "revert_resize")
)
"""Statuses of a server at which something is done while it has what it has."""
AFTER = {
    "stop": "shutoff",
    "start": RUNNING,
    "pause": "paused",
    "unpause": RUNNING,
    "suspend": "suspended",
    "resume": RUNNING,
    "shelve": "shelved_offloaded",
    "unshelve": RUNNING,
    "rescue": "rescue",
    "unrescue": RUNNING,
    "softDelete": "soft_deleted",
    "restore": RUNNING,
}
"""What a server is after an action that succeeded."""
_BEFORE = {
    "stop": RUNNING,
    "start": "shutoff",
    "pause": RUNNING,
    "unpause": "paused",
    "suspend": RUNNING,
    "resume": "suspended",
    "unshelve": "shelved_offloaded",
    "unrescue": "rescue",
    "restore": "soft_deleted",
}
"""What it was before, where that is sure."""
RESIZING = frozenset(("resize", "revertResize"))
"""Actions after which it has another flavour."""


@dataclass(frozen=True, slots=True)
class Action:
    """Something that was done to a server, and succeeded."""

    at: datetime
    kind: str


@dataclass(frozen=True, slots=True)
class Server:
    """A server as it is now: ``begun`` when it was first there, None where it never was; ``ended`` when it was gone.

    ``made`` is when it was asked for. ``labels`` are texts of it by name, ``amounts`` what it has, in the unit of each
    (`gradumen.core.metering.pulls`).
    """

    id: str
    account: str
    status: str
    labels: Mapping[str, str]
    amounts: Mapping[str, Decimal]
    begun: datetime | None
    ended: datetime | None
    made: datetime
    updated: datetime


def steady(status: str) -> str:
    """A status, but for what passes: a server that starts anew runs.

    >>> steady("reboot"), steady("shutoff")
    ('active', 'shutoff')
    """
    return RUNNING if status in _RUNS_MEANWHILE else status


def moments(
    server: Server, actions: Sequence[Action], since: datetime, until: datetime, *, is_new: bool
) -> list[tuple[datetime, str]]:
    """From when on a server was in which status, as far as that lies after ``since`` and not after ``until``.

    What it is like is known as of now alone. So where it got another flavour in between, nothing is told of what was
    before that, if something was told then: that still holds. Otherwise it counts as having had this one all along.

    Args:
        actions: what was done to it, as far as it was asked; without any, what it is now holds since it last changed.
        is_new: nothing was told of it before; it is told since ``since``, or since it begun.

    >>> from datetime import UTC
    >>> nine, ten, eleven = (datetime(2026, 10, 1, hour, tzinfo=UTC) for hour in (9, 10, 11))
    >>> server = Server("vm-1", "north", "active", {}, {}, nine, None, nine, ten.replace(minute=40))
    >>> done = [Action(ten.replace(minute=2), "stop"), Action(ten.replace(minute=40), "start")]
    >>> [(at.hour, at.minute, status) for at, status in moments(server, done, ten, eleven, is_new=True)]
    [(10, 0, 'active'), (10, 2, 'shutoff'), (10, 40, 'active')]
    >>> [(at.minute, status) for at, status in moments(server, [], ten, eleven, is_new=False)]
    [(40, 'active')]
    """
    begun, ended = server.begun, server.ended
    if begun is None or begun > until or (ended is not None and ended <= max(since, begun)):
        return []
    told = max(since, begun)
    last = until if ended is None else min(until, ended)
    done = sorted((each for each in actions if told < each.at <= last), key=lambda each: each.at)
    now = RUNNING if ended is not None else steady(server.status)
    found: dict[datetime, str] = {}
    if begun > since or is_new:
        found[told] = _status_at(told, done, now)
    other = None if found else max((each.at for each in done if each.kind in RESIZING), default=None)
    for each in done:
        if (each.kind in AFTER or each.at == other) and (other is None or each.at >= other):
            found[each.at] = _status_at(each.at, done, now)
    if ended is not None and ended <= until:
        return [*sorted((at, status) for at, status in found.items() if at < ended), (ended, GONE)]
    changed = max(min(server.updated, until), *found) if found else min(server.updated, until)
    if ended is None and changed > since and server.updated <= until:
        found[changed] = now
    return sorted(found.items())


def _status_at(at: datetime, done: Sequence[Action], now: str) -> str:
    """The status from a moment on: by what was done last until then, else by what was done next."""
    before = [each.kind for each in done if each.at <= at and each.kind in AFTER]
    if before:
        return AFTER[before[-1]]
    following = next((each.kind for each in done if each.at > at and each.kind in AFTER), None)
    return now if following is None else _BEFORE.get(following, RUNNING)
