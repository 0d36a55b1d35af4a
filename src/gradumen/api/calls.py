"""What every route takes: the unit of work, the caller, and the Idempotency-Key."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Annotated

from fastapi import Depends, Header, Request, Response
from pydantic import BaseModel

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.core.errors import Invalid, NotSignedIn
from gradumen.settings import Settings
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases import idempotency
from gradumen.usecases.access.sessions import caller_of_session, caller_of_token
from gradumen.usecases.idempotency import Once
from gradumen.usecases.scope import Caller
from gradumen.wire.values import Item, Page

SESSION, DEVICE = "gradumen_session", "gradumen_device"
_SAFE = ("GET", "HEAD", "OPTIONS")


async def get_uow(request: Request) -> UnitOfWork:
    """The service's unit of work.

    Like all here that only looks something up, it does not wait, so it need not go to a thread.
    """
    uow: UnitOfWork = request.app.state.uow
    return uow


async def get_settings(request: Request) -> Settings:
    """The service's settings."""
    settings: Settings = request.app.state.settings
    return settings


Uow = Annotated[UnitOfWork, Depends(get_uow)]
Configured = Annotated[Settings, Depends(get_settings)]


async def get_door(settings: Configured) -> Door:
    """The door to what the operator lets be called."""
    return Door(settings.outbound.split(","))


DoorHere = Annotated[Door, Depends(get_door)]


async def get_directories(settings: Configured) -> Directories:
    """The directories that the operator opens to sellers."""
    return Directories(settings.directories)


DirectoriesHere = Annotated[Directories, Depends(get_directories)]


def cookie_name(settings: Settings, name: str) -> str:
    """A cookie's name: behind TLS with the prefix that keeps it to this host (draft-ietf-httpbis-rfc6265bis, 4.1.3)."""
    return f"__Host-{name}" if settings.secure_cookies else name


def session_secret(request: Request) -> str | None:
    """The secret of the session's cookie, if there is one."""
    return request.cookies.get(cookie_name(request.app.state.settings, SESSION))


def address_of(request: Request) -> str:
    """The network address that a call comes from."""
    return request.client.host if request.client else ""


def get_caller(request: Request, uow: Uow) -> Caller:
    """The caller by token or session cookie; changing calls with a cookie need its X-CSRF-Token."""
    at = datetime.now(UTC)
    authorization = request.headers.get("authorization", "")
    if authorization:
        scheme, _, token = authorization.partition(" ")
        if scheme.lower() != "bearer" or not token:
            raise NotSignedIn("the Authorization header must be: Bearer and a token")
        return replace(caller_of_token(uow, token=token.strip(), at=at), address=address_of(request))
    secret = session_secret(request)
    if not secret:
        raise NotSignedIn("sign in first, or send a token")
    caller, csrf = caller_of_session(
        uow,
        secret=secret,
        csrf=request.headers.get("x-csrf-token"),
        unsafe=request.method not in _SAFE,
        at=at,
    )
    request.state.csrf = csrf
    return replace(caller, address=address_of(request))


CallerHere = Annotated[Caller, Depends(get_caller)]


async def get_once(
    request: Request,
    caller: CallerHere,
    idempotency_key: Annotated[str | None, Header(max_length=80, pattern=r"^[\x21-\x7e]+$")] = None,
) -> Once | None:
    """The call's Idempotency-Key with what it stands for, if it has one."""
    if idempotency_key is None:
        return None
    digest = hashlib.sha256(await request.body()).hexdigest()
    return Once(caller.user_id, f"{request.method} {request.url.path}"[:190], idempotency_key, digest, caller.at)


OnceHere = Annotated[Once | None, Depends(get_once)]


def answered(uow: UnitOfWork, once: Once | None, status: int, act: Callable[[UnitOfWork], BaseModel]) -> Response:
    """Carry a creating call out once, and give its repetition the same answer."""
    content = idempotency.answer(uow, once, lambda joined: act(joined).model_dump_json())
    return Response(content, status, media_type="application/json")


def page_limit(limit: int, most: int = 500) -> int:
    """Check a page's size.

    Raises:
        Invalid: out of range.
    """
    if not 1 <= limit <= most:
        raise Invalid(f"limit lies between 1 and {most}; got {limit}", field="limit", value=limit)
    return limit


def page_of(found: Sequence[Item], size: int, place: Callable[[Item], str]) -> Page[Item]:
    """A page of so many of what was found, one more of which says that there is another page.

    Args:
        place: what the next page comes after, of the last one shown.
    """
    shown = list(found[:size])
    return Page(items=shown, next=place(shown[-1]) if len(found) > size else None)
