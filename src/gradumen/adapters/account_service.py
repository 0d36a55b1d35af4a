"""A cloud that speaks the protocol of `docs/cloud-accounts.md`."""

from decimal import Decimal
from typing import Any
from urllib.parse import quote

import httpx

from gradumen.adapters.cloud_accounts import Account
from gradumen.adapters.door import Door, Patience, call, json_object
from gradumen.core.errors import Conflict
from gradumen.core.exact import text
from gradumen.core.quotas.hosts import LOOK_SECONDS, MOST_STOCKS, Stock, stock, told_figure
from gradumen.core.quotas.measures import AccountLimits, Measure

NEEDED = ("read", "write")
MOST_PAGES = 200


class AccountService:
    """One of them, by its address and token."""

    def __init__(self, door: Door, endpoint: str, secret: str) -> None:
        self._client = door.client(endpoint.rstrip("/") + "/", Authorization=f"Bearer {secret}")
        self._kept: list[Any] | None = None

    def close(self) -> None:
        """End its connections."""
        self._client.close()

    def look(self) -> str:
        """What was reached."""
        told = self._asked("GET", "")
        missing = [each for each in NEEDED if each not in told.get("rights", [])]
        if missing:
            raise Conflict(f"the token lacks the right to {' and '.join(missing)} accounts")
        return f"{str(told.get('name', 'an account service'))[:100]}, {int(told.get('accounts', 0))} accounts"

    def find(self, tag: str) -> Account | None:
        """The account with a tag of ours."""
        return self._first(tag=tag)

    def named(self, name: str) -> Account | None:
        """The account of a name."""
        return self._first(name=name)

    def _first(self, **query: str) -> Account | None:
        found = self._asked("GET", "accounts", params=query).get("accounts", [])
        return _account(found[0]) if found else None

    def get(self, id: str) -> Account | None:
        """An account by its id."""
        answer = call(self._client, "GET", f"accounts/{quote(id, safe='')}")
        return None if answer.status_code == httpx.codes.NOT_FOUND else _account(_read(answer))

    def make(self, name: str, tag: str) -> Account:
        """Make one."""
        return _account(self._asked("POST", "accounts", json={"name": name, "tag": tag}))

    def remove(self, id: str) -> None:
        """Take one away."""
        answer = call(self._client, "DELETE", f"accounts/{quote(id, safe='')}")
        if answer.status_code != httpx.codes.NOT_FOUND:
            _refused(answer)

    def limit(self, id: str, limits: AccountLimits) -> list[Measure]:
        """Hold one to limits, where it says that it keeps any."""
        if not limits or not self._keeps("limits"):
            return []
        told = {measure: None if limit is None else text(limit) for measure, limit in limits.items()}
        kept = _list(self._asked("PUT", f"accounts/{quote(id, safe='')}/limits", json={"limits": told}), "kept")
        return [measure for measure in limits if measure in kept]

    def hosts(self) -> list[Stock] | None:
        """What its hosts have, page by page, where it says that it tells."""
        if not self._keeps("hosts"):
            return None
        found: list[Stock] = []
        after: str | None = ""
        patience = Patience(LOOK_SECONDS, "its hosts")
        for _ in range(MOST_PAGES):
            patience.check()
            told = _read(call(self._client, "GET", "hosts", params={"after": after}), parse_float=Decimal)
            for host in _list(told, "hosts"):
                found += _stocks(host)
            after = told.get("next")
            if not after or len(found) > MOST_STOCKS:
                return found
        raise Conflict(f"it told {MOST_PAGES} pages of hosts, and none was the last")

    def admit(self, id: str, email: str) -> bool:
        """Let somebody use one, where it says that it has users."""
        if not self._keeps("people"):
            return False
        _refused(call(self._client, "PUT", f"accounts/{quote(id, safe='')}/people/{quote(email, safe='')}"))
        return True

    def dismiss(self, id: str | None, email: str) -> None:
        """Take that back; users go with their account."""
        if id is not None and self._keeps("people"):
            answer = call(self._client, "DELETE", f"accounts/{quote(id, safe='')}/people/{quote(email, safe='')}")
            if answer.status_code != httpx.codes.NOT_FOUND:
                _refused(answer)

    def _keeps(self, what: str) -> bool:
        if self._kept is None:
            self._kept = _list(self._asked("GET", ""), "keeps")
        return what in self._kept

    def _asked(self, method: str, path: str, **options: Any) -> dict[str, Any]:
        return _read(call(self._client, method, path, **options))


def _refused(answer: httpx.Response) -> None:
    if answer.is_success:
        return
    if answer.status_code in (httpx.codes.UNAUTHORIZED, httpx.codes.FORBIDDEN):
        raise Conflict("it does not take the token")
    if answer.status_code == httpx.codes.CONFLICT:
        raise Conflict("the name is taken there")
    if answer.status_code == httpx.codes.NOT_FOUND:
        raise Conflict("it has no such account")
    raise Conflict(f"it answered {answer.status_code}, which is none of its protocol's answers")


def _read(answer: httpx.Response, **options: Any) -> dict[str, Any]:
    _refused(answer)
    found = json_object(answer, **options)
    if found is None:
        raise Conflict("it answered something that is not its protocol; look at the address")
    return found


def _list(told: dict[str, Any], name: str) -> list[Any]:
    found = told.get(name)
    return found if isinstance(found, list) else []


def _stocks(told: Any) -> list[Stock]:
    """What a host has of each resource."""
    try:
        return [
            stock(
                str(told["host"]),
                str(name),
                told_figure(each["total"]),
                told_figure(each.get("reserved", 0)),
                told_figure(each.get("factor", 1)),
                told_figure(each["used"]),
            )
            for name, each in told["resources"].items()
        ]
    except (KeyError, ValueError, TypeError, AttributeError) as error:
        raise Conflict(f"it told of a host without {error}: {str(told)[:100]}") from error


def _account(told: dict[str, Any]) -> Account:
    id, name, tag = told.get("id"), told.get("name"), told.get("tag")
    if not isinstance(id, str) or not isinstance(name, str) or not 0 < len(id) <= 190:
        raise Conflict("it answered an account without id or name")
    return Account(id, name[:190], tag if isinstance(tag, str) else None)
