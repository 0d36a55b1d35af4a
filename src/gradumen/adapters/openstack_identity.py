"""A cloud whose accounts are projects of an OpenStack identity service (Identity API v3).

The secret is an application credential, ``ID:SECRET``, of a user with the role ``admin`` in a project; accounts are
made in that project's domain. A tag of ours is a tag of the project. Limits are its unified limits, of the resources
that are registered there; who is admitted has the role ``member`` in the project.
"""

from decimal import ROUND_FLOOR
from typing import Any
from urllib.parse import quote

import httpx

from gradumen.adapters.cloud_accounts import Account
from gradumen.adapters.door import Door, call
from gradumen.adapters.openstack_hosts import hosts_of
from gradumen.adapters.openstack_tokens import ROLE, part, read_object, refused, sign_in
from gradumen.core.errors import Conflict
from gradumen.core.quotas.hosts import Stock
from gradumen.core.quotas.measures import AccountLimits, Measure

OF_PEOPLE = "member"
RESOURCES = {
    "class:VCPU": (Measure.PROCESSORS, 1),
    "class:MEMORY_MB": (Measure.MEMORY, 1024),
    "class:DISK_GB": (Measure.STORAGE, 1),
    "servers": (Measure.MACHINES, 1),
}
"""Of a resource that limits are registered of: the measure it is, and how many of it make one unit of that."""
MADE_BY_US = "made by Gradumen"
"""Describes users that were made here."""


class OpenStackIdentity:
    """One of them, by its address and an application credential."""

    def __init__(self, door: Door, endpoint: str, secret: str) -> None:
        self._door, self._client = door, door.client(endpoint.rstrip("/") + "/")
        self._secret = secret
        self._domain: str | None = None

    def close(self) -> None:
        """End its connections."""
        self._client.close()

    def look(self) -> str:
        """What was reached."""
        token = self._sign_in()
        roles = [each.get("name") for each in token.get("roles", [])]
        if ROLE not in roles:
            raise Conflict(f"the credential lacks the role {ROLE}, without which no projects are made")
        domain = str(part(part(token, "project"), "domain").get("name"))[:60]
        return f"an OpenStack identity service, {len(self._projects())} projects in domain {domain}"

    def find(self, tag: str) -> Account | None:
        """The project with a tag of ours."""
        return next(iter(self._projects(tags=tag)), None)

    def named(self, name: str) -> Account | None:
        """The project of a name in the domain; names are unique there, whatever their case."""
        return next(iter(self._projects(name=name)), None)

    def get(self, id: str) -> Account | None:
        """A project by its id."""
        answer = self._call("GET", f"projects/{quote(id, safe='')}")
        return None if answer.status_code == httpx.codes.NOT_FOUND else _account(part(read_object(answer), "project"))

    def make(self, name: str, tag: str) -> Account:
        """Make one."""
        given = {"name": name, "domain_id": self._where(), "tags": [tag], "enabled": True}
        return _account(part(read_object(self._call("POST", "projects", json={"project": given})), "project"))

    def remove(self, id: str) -> None:
        """Take one away."""
        answer = self._call("DELETE", f"projects/{quote(id, safe='')}")
        if answer.status_code != httpx.codes.NOT_FOUND:
            refused(answer)

    def limit(self, id: str, limits: AccountLimits) -> list[Measure]:
        """Hold a project to limits: whole ones, so never more than is promised."""
        registered = self._all("registered_limits")
        there = {_place(each): each for each in self._all("limits", project_id=id)}
        kept = []
        for each in registered:
            known = RESOURCES.get(str(each.get("resource_name")))
            if known is None or known[0] not in limits:
                continue
            measure, count = known
            limit, before = limits[measure], there.get(_place(each))
            whole = None if limit is None else int((limit * count).to_integral_value(ROUND_FLOOR))
            self._set_limit(id, each, before, whole)
            kept.append(measure)
        return kept

    def _set_limit(self, id: str, of: dict[str, Any], before: dict[str, Any] | None, whole: int | None) -> None:
        if before and before.get("resource_limit") == whole:
            return
        address = f"limits/{quote(str(before.get('id')), safe='')}" if before else "limits"
        if before and not whole:
            # Its limits are removed to be none, and a change to nothing is not taken.
            refused(self._call("DELETE", address))
            before, address = None, "limits"
        if whole is None:
            answer = None
        elif before is None:
            place = {key: of[key] for key in ("service_id", "region_id", "resource_name") if of.get(key)}
            wanted = {"limits": [{**place, "project_id": id, "resource_limit": whole}]}
            answer = self._call("POST", address, json=wanted)
        else:
            answer = self._call("PATCH", address, json={"limit": {"resource_limit": whole}})
        if answer is not None:
            refused(answer)

    def hosts(self) -> list[Stock] | None:
        """What the cloud's placement service tells, by the same credential."""
        return hosts_of(self._door, self._client, self._secret)

    def admit(self, id: str, email: str) -> bool:
        """Let somebody use a project, as a user of its address that is ours."""
        user = self._user(email)
        if user is None:
            given = {
                "name": email, "email": email, "domain_id": self._where(), "description": MADE_BY_US, "enabled": True,
            }  # fmt: skip
            user = part(read_object(self._call("POST", "users", json={"user": given})), "user")
        elif user.get("description") != MADE_BY_US:
            raise Conflict(f"there is a user '{email}' already, which is not ours: give it its role there")
        refused(self._call("PUT", self._role_of(id, user)))
        return True

    def dismiss(self, id: str | None, email: str) -> None:
        """Take its role back, and the user where it has no other and is ours."""
        user = self._user(email)
        if user is None or user.get("description") != MADE_BY_US:
            return
        if id is not None:
            answer = self._call("DELETE", self._role_of(id, user))
            if answer.status_code != httpx.codes.NOT_FOUND:
                refused(answer)
        if not self._all("role_assignments", **{"user.id": str(user["id"])}):
            refused(self._call("DELETE", f"users/{quote(str(user['id']), safe='')}"))

    def _user(self, email: str) -> dict[str, Any] | None:
        return next(iter(self._all("users", domain_id=self._where(), name=email)), None)

    def _role_of(self, project: str, user: dict[str, Any]) -> str:
        """The address of a user's role in a project."""
        found = self._all("roles", name=OF_PEOPLE)
        if not found:
            raise Conflict(f"it has no role {OF_PEOPLE}, which people get")
        parts = (project, str(user.get("id")), str(found[0].get("id")))
        project, user_id, role = (quote(each, safe="") for each in parts)
        return f"projects/{project}/users/{user_id}/roles/{role}"

    def _projects(self, **query: str) -> list[Account]:
        return [_account(each) for each in self._all("projects", domain_id=self._where(), **query)]

    def _all(self, things: str, /, **query: str) -> list[dict[str, Any]]:
        """The things that it lists."""
        found = read_object(self._call("GET", things, params=query)).get(things)
        return [each for each in found if isinstance(each, dict)] if isinstance(found, list) else []

    def _where(self) -> str:
        """The domain in which accounts are made."""
        if self._domain is None:
            self._sign_in()
        return self._domain or ""

    def _sign_in(self) -> dict[str, Any]:
        """Get a token, and what it says."""
        token = sign_in(self._client, self._secret)
        self._domain = str(part(part(token, "project"), "domain").get("id"))
        return token

    def _call(self, method: str, path: str, **options: Any) -> httpx.Response:
        if self._domain is None:
            self._sign_in()
        return call(self._client, method, path, **options)


def _place(limit: dict[str, Any]) -> tuple[object, ...]:
    """What a limit is of, and where."""
    return limit.get("service_id"), limit.get("region_id"), limit.get("resource_name")


def _account(told: dict[str, Any]) -> Account:
    id, name, tags = told.get("id"), told.get("name"), told.get("tags") or []
    if not isinstance(id, str) or not isinstance(name, str) or not 0 < len(id) <= 190:
        raise Conflict("it answered a project without id or name")
    own = [each for each in tags if isinstance(each, str) and each.startswith("gradumen-")]
    return Account(id, name[:190], own[0] if own else None)
