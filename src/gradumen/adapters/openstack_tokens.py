"""Tokens of an OpenStack identity service (Identity API v3), by an application credential ``ID:SECRET``."""

from datetime import UTC, datetime
from typing import Any

import httpx

from gradumen.adapters.door import Door, Outside, call, json_object
from gradumen.core.errors import Conflict

ROLE = "admin"


def sign_in(client: Outside, secret: str) -> dict[str, Any]:
    """Get a token, which the client sends from now on, and what it says.

    Raises:
        Conflict: the secret is none, or not taken.
        Unavailable: no answer in time.
    """
    id, colon, key = secret.partition(":")
    if not colon or not id or not key:
        raise Conflict("the secret is no application credential; enter it as ID:SECRET")
    methods = {"methods": ["application_credential"], "application_credential": {"id": id, "secret": key}}
    answer = call(client, "POST", "auth/tokens", json={"auth": {"identity": methods}})
    if answer.status_code == httpx.codes.NOT_FOUND:
        raise Conflict("it knows no such application credential, or its address does not end with /v3")
    token = part(read_object(answer), "token")
    client.headers["X-Auth-Token"] = answer.headers.get("X-Subject-Token", "")
    return token


def address_of(token: dict[str, Any], kind: str) -> str:
    """The public address of a service in the catalogue of a token.

    Raises:
        Conflict: there is none.
    """
    for service in token.get("catalog") or []:
        if isinstance(service, dict) and service.get("type") == kind:
            for each in service.get("endpoints") or []:
                if isinstance(each, dict) and each.get("interface") == "public" and isinstance(each.get("url"), str):
                    return str(each["url"])
    raise Conflict(f"the catalogue of its identity service has no public address of a service of type {kind}")


def service_of(door: Door, identity: Outside, secret: str, kind: str) -> Outside:
    """A client of a service of a cloud, by the token and the catalogue of its identity service.

    Raises:
        Conflict: the secret is not taken, or there is no such service.
        Invalid: the operator does not let its address be called.
        Unavailable: no answer in time.
    """
    found = door.client(address_of(sign_in(identity, secret), kind).rstrip("/") + "/")
    found.headers["X-Auth-Token"] = identity.headers["X-Auth-Token"]
    found.headers["Accept"] = "application/json"
    return found


def utc_moment(raw: str) -> datetime:
    """A time as these services tell it: without a zone it is UTC.

    Raises:
        ValueError: it is none.
    """
    moment = datetime.fromisoformat(raw)
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment.astimezone(UTC)


def refused(answer: httpx.Response) -> None:
    """Say why an answer is no success.

    Raises:
        Conflict: it is none.
    """
    if answer.is_success:
        return
    if answer.status_code == httpx.codes.UNAUTHORIZED:
        raise Conflict("it does not take the application credential")
    if answer.status_code == httpx.codes.FORBIDDEN:
        raise Conflict(f"the credential may not do that; its user needs the role {ROLE}")
    if answer.status_code == httpx.codes.CONFLICT:
        raise Conflict("the name is taken there")
    if answer.status_code == httpx.codes.NOT_FOUND:
        raise Conflict("it has no such thing; look at the address, which ends with /v3")
    raise Conflict(f"it answered {answer.status_code}; look at the address, which ends with /v3")


def read_object(answer: httpx.Response) -> dict[str, Any]:
    """The object of an answer that is a success.

    Raises:
        Conflict: it is none.
    """
    refused(answer)
    found = json_object(answer)
    if found is None:
        raise Conflict("it answered something that is no identity service's; look at the address, which ends with /v3")
    return found


def part(told: dict[str, Any], name: str) -> dict[str, Any]:
    """An object within one.

    Raises:
        Conflict: it is not there.
    """
    found = told.get(name)
    if not isinstance(found, dict):
        raise Conflict(f"it answered without a {name}; look at the address, which ends with /v3")
    return found
