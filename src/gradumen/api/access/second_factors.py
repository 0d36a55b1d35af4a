"""Routes of second factors."""

from uuid import UUID

from fastapi import Request, status

from gradumen.api.calls import CallerHere, Configured, Uow, session_secret
from gradumen.api.routers import Router
from gradumen.core.errors import NeedsPassword
from gradumen.usecases.access import second_factors
from gradumen.wire.access.second_factors import (
    CodeBody,
    RecoveryCodesBody,
    SecondFactorBegin,
    SecondFactorBody,
    SecondFactorSecretBody,
)

router = Router(tags=["second factors"])


@router.get("/session/second-factor")
def read_second_factor(uow: Uow, caller: CallerHere) -> SecondFactorBody:
    """The signed-in user's second factor."""
    return second_factors.read_second_factor(uow, caller)


@router.post("/session/second-factor")
def begin_second_factor(
    body: SecondFactorBegin, uow: Uow, caller: CallerHere, settings: Configured
) -> SecondFactorSecretBody:
    """Make a secret for an app for codes; it holds once it is confirmed. Beginning again makes another one."""
    longest = settings.sign_in_longest_wait_seconds
    return second_factors.begin_second_factor(uow, caller, password=body.password, longest=longest)


@router.post("/session/second-factor/confirm")
def confirm_second_factor(
    body: CodeBody, request: Request, uow: Uow, caller: CallerHere, settings: Configured
) -> RecoveryCodesBody:
    """End the set-up with a first code; other sessions end. Gives recovery codes, in this answer only."""
    secret = session_secret(request)
    if not secret:
        raise NeedsPassword
    longest = settings.sign_in_longest_wait_seconds
    return second_factors.confirm_second_factor(uow, caller, code=body.code, session=secret, longest=longest)


@router.post("/session/second-factor/recovery-codes")
def renew_recovery_codes(body: CodeBody, uow: Uow, caller: CallerHere, settings: Configured) -> RecoveryCodesBody:
    """Make new recovery codes in the place of those that are there; they are in this answer only."""
    longest = settings.sign_in_longest_wait_seconds
    return second_factors.renew_recovery_codes(uow, caller, code=body.code, longest=longest)


@router.post("/session/second-factor/drop", status_code=status.HTTP_204_NO_CONTENT)
def drop_second_factor(body: CodeBody, uow: Uow, caller: CallerHere, settings: Configured) -> None:
    """Give the second factor up, with a code of it or a recovery code."""
    longest = settings.sign_in_longest_wait_seconds
    second_factors.drop_second_factor(uow, caller, code=body.code, longest=longest)


@router.delete("/organisations/{organisation}/members/{user_id}/second-factor", status_code=status.HTTP_204_NO_CONTENT)
def take_second_factor(organisation: str, user_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Take a member's second factor away, who lost it with its recovery codes; safe to repeat."""
    second_factors.take_second_factor(uow, caller, organisation=organisation, user_id=user_id)
