"""Servers of an OpenStack compute service, by the token of its identity service (Compute API 2.60 or later).

All projects are asked for what changed since a moment, deleted ones among it, and what was done to each meanwhile; and
now and then for all that is there. Where the cloud does not let its changes be asked for, all that is there is asked
for each time, and deleted ones as far as that is let.
"""

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from email.utils import parsedate_to_datetime
from typing import Any

import httpx

from gradumen.adapters.door import Door, Outside, call, json_object
from gradumen.adapters.openstack_tokens import service_of, utc_moment
from gradumen.core.errors import Conflict, Unavailable, whole_text
from gradumen.core.metering.server_lives import Action, Server

PAGE, MOST_PAGES = 500, 400
LARGEST = 32 * 1024 * 1024
MOST_ASKED = 20_000
"""Servers of which a look asks what was done to each."""
LAUNCHING = timedelta(minutes=1)
"""So long a server may take to be launched, for what it is now to show all that was done to it."""
CREATE = "create"
AHEAD = timedelta(minutes=5)
"""So much a cloud's clock may be ahead."""
_VERSION = "compute 2.60"
_TEXTS = {
    "name": "name",
    "project_id": "tenant_id",
    "user_id": "user_id",
    "zone": "OS-EXT-AZ:availability_zone",
    "host": "OS-EXT-SRV-ATTR:host",
}
"""Labels of a server, each with where it stands in what is told of it."""
_GONE = "deleted"


@dataclass(frozen=True, slots=True)
class Look:
    """What a compute service told at a moment of its clock: servers that changed, and all that are there, if asked."""

    at: datetime
    changed: list[Server]
    actions: dict[str, list[Action]]
    there: list[Server] | None
    said: str

    @property
    def servers(self) -> list[Server]:
        """All of which something is told, each once."""
        return list({each.id: each for each in (*(self.there or ()), *self.changed)}.values())


class OpenStackServers:
    """One of them, by the address of its identity service and an application credential."""

    def __init__(self, door: Door, endpoint: str, secret: str, *, seconds: float | None = None) -> None:
        self._door, self._secret = door, secret
        self._ends = None if seconds is None else time.monotonic() + seconds
        self._identity = door.client(endpoint.rstrip("/") + "/")
        self._compute: Outside | None = None

    def close(self) -> None:
        """End its connections."""
        self._identity.close()
        if self._compute is not None:
            self._compute.close()

    def look(self, since: datetime, now: datetime, *, whole: bool) -> Look:
        """What changed since a moment, and what was done to it; with ``whole`` all that is there too.

        Args:
            now: by the clock here.

        Raises:
            Conflict: it refuses, answers something else, or its clock is ahead.
            Unavailable: no answer in time.
        """
        answer = self._asked("servers", limit=1, all_tenants=1)
        self._listed(answer)
        at = _clock(answer)
        if at > now + AHEAD:
            raise Conflict(f"its clock is {at:%Y-%m-%d %H:%M:%S} UTC, {at - now} ahead of the one here; set it right")
        # What goes between the two is told as deleted.
        there = self._servers() if whole else None
        changed = self._changed(since)
        if changed is None and there is None:
            there = self._servers()
        said = f"an OpenStack compute service, {'' if there is None else f'with {len(there)} servers, '}"
        if changed is None:
            # What was deleted is told where that is let; what is only missing is found so.
            deleted = self._let(deleted="true") or []
            changed = [each for each in [*deleted, *(there or [])] if each.updated >= since]
            said += "which does not let its changes be asked for: all that is there is asked for each time, "
        actions = self._actions(changed, since)
        changed = [with_begin(each, actions.get(each.id, ())) for each in changed]
        return Look(at, changed, actions, there, f"{said}{len(changed)} changed")

    def _changed(self, since: datetime) -> list[Server] | None:
        """What changed since a moment; None where it does not let that be asked for."""
        return self._let(**{"changes-since": f"{since:%Y-%m-%dT%H:%M:%SZ}"})

    def _let(self, **query: str) -> list[Server] | None:
        """Servers of a kind; None where these may not be asked for."""
        try:
            return self._servers(**query)
        except _NotLet:
            return None

    def _servers(self, **query: str) -> list[Server]:
        """All servers that a query gives, page by page."""
        found: dict[str, Server] = {}
        marker: dict[str, str] = {}
        for _ in range(MOST_PAGES):
            listed = self._listed(self._asked("servers/detail", all_tenants=1, limit=PAGE, **query, **marker))
            page = [read_server(each) for each in listed]
            if not page or page[-1].id == marker.get("marker"):
                return list(found.values())
            found |= {each.id: each for each in page}
            marker = {"marker": page[-1].id}
        raise Conflict(f"it has more than {PAGE * MOST_PAGES} servers, which is as many as are read")

    def _actions(self, changed: list[Server], since: datetime) -> dict[str, list[Action]]:
        """What was done to servers since a moment, of those to which something was that does not show otherwise."""
        asked = [each for each in changed if each.begun is not None and may_show_less(each, since)]
        if len(asked) > MOST_ASKED:
            raise Conflict(
                f"{len(asked)} servers changed since {since:%Y-%m-%d %H:%M} UTC, of at most {MOST_ASKED} is asked at "
                "once what was done to them; look more often, or begin later"
            )
        return {each.id: list(self._actions_of(each.id)) for each in asked}

    def _actions_of(self, server: str) -> Iterator[Action]:
        try:
            answer = self._asked(f"servers/{server}/os-instance-actions")
        except _NotLet:
            return
        told = json_object(answer) or {}
        for each in _list(told, "instanceActions"):
            kind = each.get("action")
            at = _moment(each.get("updated_at" if kind == CREATE else "start_time"))
            if isinstance(kind, str) and at is not None and each.get("message") is None:
                yield Action(at, kind)

    def _listed(self, answer: httpx.Response) -> list[dict[str, Any]]:
        return _list(json_object(answer) or {}, "servers")

    def _asked(self, path: str, **query: Any) -> httpx.Response:
        if self._ends is not None and time.monotonic() > self._ends:
            raise Unavailable(
                "it has more servers than can be looked at while somebody waits; set it and see what comes"
            )
        answer = call(self._client(), "GET", path, largest=LARGEST, params=query)
        if answer.status_code == httpx.codes.UNAUTHORIZED:
            raise Conflict("its compute service does not take the token of its identity service")
        if answer.status_code == httpx.codes.NOT_ACCEPTABLE:
            raise Conflict("its compute service is too old; 2.60 of its interface is needed")
        if answer.status_code == httpx.codes.NOT_FOUND:
            raise _NotLet("its compute service has no such thing; look at its address in the catalogue")
        if answer.status_code in (httpx.codes.FORBIDDEN, httpx.codes.BAD_REQUEST):
            raise _NotLet(f"the credential may not read servers of all projects: {_reason(answer)}")
        if not answer.is_success:
            raise Conflict(f"its compute service refused: {_reason(answer)}")
        return answer

    def _client(self) -> Outside:
        if self._compute is None:
            self._compute = service_of(self._door, self._identity, self._secret, "compute")
            self._compute.headers["OpenStack-API-Version"] = _VERSION
        return self._compute


class _NotLet(Conflict):
    """Something may not be asked for."""


def may_show_less(server: Server, since: datetime) -> bool:
    """Whether something may have been done to a server that what it is now does not show."""
    made, launched = server.made, server.begun or server.made
    return server.updated >= since and (server.updated > launched or launched - made > LAUNCHING)


def with_begin(server: Server, actions: Sequence[Action]) -> Server:
    """A server with when it was there first: it tells when it was launched last, as after it got another flavour."""
    first = next((each.at for each in actions if each.kind == CREATE), None)
    return server if first is None or server.begun is None else replace(server, begun=min(first, server.begun))


def _clock(answer: httpx.Response) -> datetime:
    try:
        return parsedate_to_datetime(answer.headers["Date"]).astimezone(UTC)
    except (KeyError, ValueError) as error:
        raise Conflict(
            "its compute service answered without a Date, so nothing says when what it tells was so"
        ) from error


def _reason(answer: httpx.Response) -> str:
    told = json_object(answer) or {}
    said = next((each.get("message") for each in told.values() if isinstance(each, dict)), None)
    return whole_text(str(said or f"it answered {answer.status_code}")[:300])


def _list(told: dict[str, Any], name: str) -> list[dict[str, Any]]:
    found = told.get(name)
    if not isinstance(found, list) or not all(isinstance(each, dict) for each in found):
        raise Conflict(f"its compute service answered without a list of {name}; look at its address in the catalogue")
    return found


def read_server(told: dict[str, Any]) -> Server:
    """A server out of what is told of it.

    Raises:
        Conflict: something is missing, or of another kind.
    """
    try:
        id, status, flavor = str(told["id"]), str(told["status"]).lower(), told["flavor"]
        made, updated = _moment(told["created"]), _moment(told["updated"])
        labels = {label: str(told[key]) for label, key in _TEXTS.items() if told.get(key)}
        labels |= {f"metadata.{key}": str(value) for key, value in (told.get("metadata") or {}).items() if value}
        labels |= {"id": id, "flavor": str(flavor["original_name"]), "status": status}
        amounts = {each: Decimal(int(flavor[each])) for each in ("vcpus", "ram", "disk")} | {"servers": Decimal(1)}
        begun, ended = (_moment(told.get(f"OS-SRV-USG:{each}_at")) for each in ("launched", "terminated"))
        account = str(told["tenant_id"])
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise Conflict(f"it told of a server without {error}; look at its address in the catalogue") from error
    if updated is None or made is None:
        raise Conflict("it told of a server without when it was made and updated; look at its address in the catalogue")
    if status == _GONE and ended is None:
        ended = updated
    return Server(id, account, status, labels, amounts, begun, ended, made, updated)


def _moment(raw: object) -> datetime | None:
    """A time in UTC, to the second; None where nothing is told.

    Raises:
        Conflict: what is told is none.
    """
    if raw is None:
        return None
    try:
        return utc_moment(str(raw)).replace(microsecond=0)
    except ValueError as error:
        raise Conflict(f"its compute service told '{str(raw)[:40]}' for a time") from error
