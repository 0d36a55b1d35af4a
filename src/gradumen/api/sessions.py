"""Routes of set-up, sign-in, members and tokens."""

import secrets
from datetime import UTC, datetime
from uuid import UUID

from fastapi import APIRouter, Request, Response, status

from gradumen.api.calls import COOKIE, CallerHere, Configured, OnceHere, Uow, answered
from gradumen.core.errors import NotSignedIn
from gradumen.core.permissions import RIGHTS, Right
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases import clock, organisations, sessions, users
from gradumen.usecases.scope import Caller
from gradumen.wire.sessions import (
    MemberBody,
    MemberCreate,
    MembershipBody,
    SessionBody,
    SetUp,
    SignIn,
    TokenBody,
    TokenCreate,
)
from gradumen.wire.values import Page

router = APIRouter()


@router.post("/set-up", status_code=status.HTTP_201_CREATED, tags=["sessions"])
def set_up(body: SetUp, request: Request, uow: Uow) -> dict[str, str]:
    """Make the provider and its first administrator, with the code that the service printed at its first start."""
    expected = request.app.state.set_up_code
    if expected is None or not secrets.compare_digest(expected, body.code):
        raise NotSignedIn("the set-up code is wrong or used; the service prints it when it starts without a provider")
    fields = body.model_dump(exclude={"code"})
    organisations.set_up_provider(uow, **fields, at=datetime.now(UTC))
    request.app.state.set_up_code = None
    return {"organisation": body.slug}


@router.post("/session", tags=["sessions"])
def sign_in(body: SignIn, request: Request, response: Response, uow: Uow, settings: Configured) -> SessionBody:
    """Sign in by password; the session is in an HttpOnly cookie."""
    at = datetime.now(UTC)
    signed = sessions.sign_in(
        uow,
        email=body.email,
        password=body.password,
        address=request.client.host if request.client else "",
        at=at,
        free=settings.sign_in_free_attempts,
        longest=settings.sign_in_longest_wait_seconds,
        hours=settings.session_hours,
    )
    response.set_cookie(
        COOKIE,
        signed.secret,
        max_age=settings.session_hours * 3600,
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
    memberships = []
    for each in organisations.list_organisations(uow, caller, after=None, limit=10_000, search=""):
        role = caller.roles.get(each.id)
        if role is not None:
            rights = sorted(RIGHTS[role], key=list(Right).index)
            memberships.append(
                MembershipBody(organisation=each.slug, name=each.name, type=each.type, role=role, rights=rights)
            )
    now = clock.read_clock(uow, caller).now
    return SessionBody(email=caller.email, name=caller.name, memberships=memberships, now=now, csrf=csrf)


@router.delete("/session", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def sign_out(request: Request, response: Response, uow: Uow) -> None:
    """End the session of the cookie."""
    secret = request.cookies.get(COOKIE)
    if secret:
        sessions.sign_out(uow, secret=secret)
    response.delete_cookie(COOKIE, path="/")


@router.get("/organisations/{organisation}/members", tags=["members"])
def list_members(organisation: str, uow: Uow, caller: CallerHere) -> Page[MemberBody]:
    """The members of an organisation."""
    found = users.list_members(uow, caller, organisation=organisation)
    return Page(items=[MemberBody.of(each) for each in found])


@router.post(
    "/organisations/{organisation}/members",
    status_code=status.HTTP_201_CREATED,
    response_model=MemberBody,
    tags=["members"],
)
def add_member(organisation: str, body: MemberCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Add a new user to an organisation."""
    return answered(
        uow,
        once,
        201,
        lambda u: MemberBody.of(users.add_member(u, caller, organisation=organisation, **body.model_dump())),
    )


@router.get("/tokens", tags=["tokens"])
def list_tokens(uow: Uow, caller: CallerHere) -> Page[TokenBody]:
    """The caller's tokens."""
    return Page(items=[TokenBody.of(each) for each in users.list_tokens(uow, caller)])


@router.post("/tokens", status_code=status.HTTP_201_CREATED, tags=["tokens"])
def create_token(body: TokenCreate, uow: Uow, caller: CallerHere) -> TokenBody:
    """Make a token for programs. Its secret is in this answer only, so this takes no Idempotency-Key."""
    return TokenBody.of(users.create_token(uow, caller, **body.model_dump()))


@router.delete("/tokens/{token_id}", status_code=status.HTTP_204_NO_CONTENT, tags=["tokens"])
def revoke_token(token_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Withdraw a token; safe to repeat."""
    users.revoke_token(uow, caller, token_id=token_id)
