"""A cloud whose accounts are projects of an OpenStack identity service (Identity API v3).

The secret is an application credential, ``ID:SECRET``, of a user with the role ``admin`` in a project; accounts are
made in that project's domain. A tag of ours is a tag of the project.
"""

from typing import Any
from urllib.parse import quote

import httpx

from gradumen.adapters.cloud_accounts import Account
from gradumen.adapters.door import Door, call, json_object
from gradumen.core.errors import Conflict

ROLE = "admin"


class OpenStackIdentity:
    """One of them, by its address and an application credential."""

    def __init__(self, door: Door, endpoint: str, secret: str) -> None:
        self._client = door.client(endpoint.rstrip("/") + "/")
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
        domain = str(_part(_part(token, "project"), "domain").get("name"))[:60]
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
        return None if answer.status_code == httpx.codes.NOT_FOUND else _account(_part(_read(answer), "project"))

    def make(self, name: str, tag: str) -> Account:
        """Make one."""
        given = {"name": name, "domain_id": self._where(), "tags": [tag], "enabled": True}
        return _account(_part(_read(self._call("POST", "projects", json={"project": given})), "project"))

    def remove(self, id: str) -> None:
        """Take one away."""
        answer = self._call("DELETE", f"projects/{quote(id, safe='')}")
        if answer.status_code != httpx.codes.NOT_FOUND:
            _refused(answer)

    def _projects(self, **query: str) -> list[Account]:
        found = _read(self._call("GET", "projects", params={"domain_id": self._where(), **query}))
        return [_account(each) for each in found.get("projects", [])]

    def _where(self) -> str:
        """The domain in which accounts are made."""
        if self._domain is None:
            self._sign_in()
        return self._domain or ""

    def _sign_in(self) -> dict[str, Any]:
        """Get a token, and what it says."""
        id, colon, secret = self._secret.partition(":")
        if not colon or not id or not secret:
            raise Conflict("the secret is no application credential; enter it as ID:SECRET")
        credential = {"id": id, "secret": secret}
        methods = {"methods": ["application_credential"], "application_credential": credential}
        answer = call(self._client, "POST", "auth/tokens", json={"auth": {"identity": methods}})
        if answer.status_code == httpx.codes.NOT_FOUND:
            raise Conflict("it knows no such application credential, or its address does not end with /v3")
        token = _part(_read(answer), "token")
        self._client.headers["X-Auth-Token"] = answer.headers.get("X-Subject-Token", "")
        self._domain = str(_part(_part(token, "project"), "domain").get("id"))
        return token

    def _call(self, method: str, path: str, **options: Any) -> httpx.Response:
        if self._domain is None:
            self._sign_in()
        return call(self._client, method, path, **options)


def _refused(answer: httpx.Response) -> None:
    if answer.is_success:
        return
    if answer.status_code == httpx.codes.UNAUTHORIZED:
        raise Conflict("it does not take the application credential")
    if answer.status_code == httpx.codes.FORBIDDEN:
        raise Conflict(f"the credential may not do that; its user needs the role {ROLE}")
    if answer.status_code == httpx.codes.CONFLICT:
        raise Conflict("the name is taken there")
    raise Conflict(f"it answered {answer.status_code}; look at the address, which ends with /v3")


def _read(answer: httpx.Response) -> dict[str, Any]:
    _refused(answer)
    found = json_object(answer)
    if found is None:
        raise Conflict("it answered something that is no identity service's; look at the address, which ends with /v3")
    return found


def _part(told: dict[str, Any], name: str) -> dict[str, Any]:
    found = told.get(name)
    if not isinstance(found, dict):
        raise Conflict(f"it answered without a {name}; look at the address, which ends with /v3")
    return found


def _account(told: dict[str, Any]) -> Account:
    id, name, tags = told.get("id"), told.get("name"), told.get("tags") or []
    if not isinstance(id, str) or not isinstance(name, str) or not 0 < len(id) <= 190:
        raise Conflict("it answered a project without id or name")
    own = [each for each in tags if isinstance(each, str) and each.startswith("gradumen-")]
    return Account(id, name[:190], own[0] if own else None)
