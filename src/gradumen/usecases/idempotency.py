"""A call with an Idempotency-Key is carried out once; its repetition gets the same answer."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from gradumen.core.errors import KeyUsedOtherwise
from gradumen.core.retentions import IDEMPOTENCY_KEYS
from gradumen.store.idempotency import IdempotencyKeyRow, drop_keys
from gradumen.store.unit_of_work import Session, UnitOfWork, add_new, use_case

FORGOTTEN = 5000
"""Keys that are forgotten in one transaction."""


@dataclass(frozen=True, slots=True)
class Once:
    """Who repeats what: caller, route, key and a hash of the body."""

    caller_id: UUID
    route: str
    key: str
    body_hash: str
    at: datetime


def answer(uow: UnitOfWork, once: Once | None, act: Callable[[UnitOfWork], str]) -> str:
    """Carry out ``act`` in one transaction with its key, or give the answer it gave before.

    A rival with the same key waits for the first one's commit on the key's row.

    Raises:
        KeyUsedOtherwise: the key came with another body.
    """
    if once is None:
        return act(uow)

    def work(tx: Session) -> str:
        identity = (once.caller_id, once.route, once.key)
        row = IdempotencyKeyRow(
            caller_id=once.caller_id,
            route=once.route,
            key=once.key,
            body_hash=once.body_hash,
            response=None,
            at=once.at,
        )
        if not add_new(tx, row):
            known = tx.get_one(IdempotencyKeyRow, identity, populate_existing=True)
            if known.body_hash != once.body_hash or known.response is None:
                raise KeyUsedOtherwise(
                    f"Idempotency-Key '{once.key}' was used with another body; use a new key", key=once.key
                )
            return known.response
        row.response = act(uow.joined(tx))
        return row.response

    return uow.run(work, repeatable=True)


def forget_keys(uow: UnitOfWork, *, at: datetime) -> None:
    """Forget what is kept for longer than anybody repeats a call."""
    while _forget(uow, before=at - IDEMPOTENCY_KEYS) == FORGOTTEN:
        pass


@use_case
def _forget(tx: Session, *, before: datetime) -> int:
    return drop_keys(tx, before, FORGOTTEN)
