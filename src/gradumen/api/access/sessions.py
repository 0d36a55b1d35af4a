"""Routes of sign-in and sessions."""

from datetime import UTC, datetime

from fastapi import Request, Response, status

from gradumen.api.calls import DEVICE, SESSION, CallerHere, Configured, Uow, address_of, cookie_name, session_secret
from gradumen.api.routers import Router
from gradumen.core.permissions import RIGHTS, Right
from gradumen.core.retentions import DEVICES
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases import clock
from gradumen.usecases.access import members, sessions
from gradumen.usecases.scope import Caller
from gradumen.wire.access.sessions import (
    MembershipBody,
    OpenSessionBody,
    SessionBody,
    SignIn,
)
from gradumen.wire.values import Page

router = Router()
_DEVICE_SECONDS = int(DEVICES.total_seconds())


@router.post("/session", tags=["sessions"])
def sign_in(body: SignIn, request: Request, response: Response, uow: Uow, settings: Configured) -> SessionBody:
    """Sign in by password, and by a code where one has a second factor; the session is in an HttpOnly cookie."""
    at = datetime.now(UTC)
    signed = sessions.sign_in(
        uow,
        email=body.email,
        password=body.password,
        code=body.code,
        place=sessions.Place(
            address_of(request),
            request.headers.get("user-agent", ""),
            request.cookies.get(cookie_name(settings, DEVICE), ""),
        ),
        at=at,
        free=settings.sign_in_free_attempts,
        longest=settings.sign_in_longest_wait_seconds,
        hours=settings.session_hours,
    )
    kept = ((SESSION, signed.secret, settings.session_hours * 3600), (DEVICE, signed.device, _DEVICE_SECONDS))
    for name, value, seconds in kept:
        response.set_cookie(
            cookie_name(settings, name),
            value,
            max_age=seconds,
            httponly=True,
            samesite="strict",
            secure=settings.secure_cookies,
            path="/",
        )
    caller, csrf = sessions.caller_of_session(uow, secret=signed.secret, csrf=None, unsafe=False, at=at)
    return _session(uow, caller, csrf)


@router.get("/session", tags=["sessions"])
def read_session(request: Request, uow: Uow, caller: CallerHere) -> SessionBody:
    """Who is signed in, with rights and the business time."""
    return _session(uow, caller, getattr(request.state, "csrf", None))


def _session(uow: UnitOfWork, caller: Caller, csrf: str | None) -> SessionBody:
    memberships = [
        MembershipBody(
            organisation=each.organisation,
            name=each.name,
            type=each.type,
            role=each.role,
            rights=sorted(RIGHTS[each.role], key=list(Right).index),
            services=each.services,
        )
        for each in members.list_memberships(uow, caller)
    ]
    now = clock.read_clock(uow, caller).now
    return SessionBody(
        email=caller.email,
        name=caller.name,
        memberships=memberships,
        held_back=members.list_held_back(uow, caller) if len(memberships) < len(caller.roles) else [],
        now=now,
        csrf=csrf,
    )


@router.delete("/session", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def sign_out(request: Request, response: Response, uow: Uow, settings: Configured) -> None:
    """End the session of the cookie."""
    secret = session_secret(request)
    if secret:
        sessions.sign_out(uow, secret=secret)
    response.delete_cookie(cookie_name(settings, SESSION), path="/", secure=settings.secure_cookies, httponly=True)


@router.get("/sessions", tags=["sessions"])
def list_sessions(request: Request, uow: Uow, caller: CallerHere) -> Page[OpenSessionBody]:
    """The open sessions of the signed-in user."""
    found = sessions.list_sessions(uow, caller, secret=session_secret(request))
    return Page(items=found)


@router.delete("/sessions/{session}", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def end_session(session: str, uow: Uow, caller: CallerHere) -> None:
    """End one of the signed-in user's sessions; safe to repeat."""
    sessions.end_session(uow, caller, session=session)
