"""Routes of tokens."""

from uuid import UUID

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.access import tokens
from gradumen.wire.access.tokens import TokenBody, TokenCreate
from gradumen.wire.values import Page

router = Router(tags=["tokens"])


@router.get("/tokens")
def list_tokens(uow: Uow, caller: CallerHere) -> Page[TokenBody]:
    """The caller's tokens."""
    return Page(items=tokens.list_tokens(uow, caller))


@router.post("/tokens", status_code=status.HTTP_201_CREATED)
def create_token(body: TokenCreate, uow: Uow, caller: CallerHere) -> TokenBody:
    """Make a token for programs. Its secret is in this answer only, so this takes no Idempotency-Key."""
    return tokens.create_token(uow, caller, **body.model_dump())


@router.delete("/tokens/{token_id}", status_code=status.HTTP_204_NO_CONTENT)
def revoke_token(token_id: UUID, uow: Uow, caller: CallerHere) -> None:
    """Withdraw a token; safe to repeat."""
    tokens.revoke_token(uow, caller, token_id=token_id)
