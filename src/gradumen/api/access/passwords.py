"""Routes of passwords."""

from datetime import UTC, datetime

from fastapi import Request, status

from gradumen.api.calls import CallerHere, Configured, Uow, address_of, session_secret
from gradumen.api.routers import Router
from gradumen.core.errors import NeedsPassword
from gradumen.usecases.access import users
from gradumen.wire.access.sessions import (
    PasswordChange,
    PasswordReset,
    PasswordResetAsk,
)

router = Router()


@router.post("/session/password", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def change_password(body: PasswordChange, request: Request, uow: Uow, caller: CallerHere, settings: Configured) -> None:
    """Change the signed-in user's password; its other sessions end."""
    secret = session_secret(request)
    if not secret:
        raise NeedsPassword
    longest = settings.sign_in_longest_wait_seconds
    users.change_password(uow, caller, session=secret, current=body.current, new=body.new, longest=longest)


@router.post("/password-resets", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def reset_password(body: PasswordReset, request: Request, uow: Uow) -> None:
    """Set a new password by a reset link, once; all sessions of its user end."""
    users.reset_password(
        uow, secret=body.secret, password=body.password, at=datetime.now(UTC), address=address_of(request)
    )


@router.post("/password-resets/ask", status_code=status.HTTP_204_NO_CONTENT, tags=["sessions"])
def ask_password_reset(body: PasswordResetAsk, request: Request, uow: Uow, settings: Configured) -> None:
    """Have a link mailed by which one sets a new password. The answer is the same whether there is such a user."""
    users.ask_password_reset(
        uow,
        email=body.email,
        at=datetime.now(UTC),
        address=address_of(request),
        longest=settings.sign_in_longest_wait_seconds,
    )
