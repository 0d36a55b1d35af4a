"""What all share and seldom changes: each process keeps it, by the token that the last change left.

A change writes the kind's row in its own transaction, so changes queue there, and every process that reads another
token than it knows reads anew. A token is never used again, so what is kept under one is right for ever.
"""

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar
from uuid import UUID, uuid4

from sqlalchemy import event, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, ascii_text

TREE, CATALOGUE, FEEDS, KINDS, CLOCK = "tree", "catalogue", "feeds", "kind rules", "clock"
T = TypeVar("T")
MOST = 3
_READ, _BEGUN = "read while changing", "tokens that were read"
_kept: dict[str, OrderedDict[UUID, Any]] = {}
_lock = Lock()


class RevisionRow(Base):
    """The token of a kind of things, written by every change of one."""

    __tablename__ = "revisions"

    kind: Mapped[str] = mapped_column(ascii_text(16), primary_key=True)
    token: Mapped[UUID]


_TOKENS = select(RevisionRow.kind, RevisionRow.token)
"""Of all kinds at once: every request asks for several."""


def revise(tx: Session, kind: str) -> None:
    """Say that something of a kind changes; rivals wait here until the end of the transaction."""
    token = uuid4()
    tx.execute(insert(RevisionRow).values(kind=kind, token=token).on_duplicate_key_update(token=token))
    tx.info[kind] = "changed"
    tx.info.pop(_READ, None)


@event.listens_for(Session, "after_soft_rollback")
def _taken_back(tx: Session, *_: object) -> None:
    """What a transaction read of what it changes itself is old once some of it is taken back."""
    tx.info.pop(_READ, None)


@event.listens_for(Session, "after_flush")
def _written(tx: Session, *_: object) -> None:
    """It is old with what it writes: of the tree, with rows that are of it, of all else with any."""
    known = tx.info.get(_READ)
    if known and (TREE not in known or any(row.revises == TREE for row in (*tx.new, *tx.dirty, *tx.deleted))):
        tx.info.pop(_READ)
    elif known:
        tx.info[_READ] = {TREE: known[TREE]}


def token_of(tx: Session, kind: str) -> UUID | None:
    """The present token of a kind, as it was when the transaction last may have waited for another."""
    waited = tx.connection().info.get("waited")
    before, tokens = tx.info.get(_BEGUN, (None, {}))
    if waited is None or waited != before:
        # By the connection itself: it is half the work, and every call asks.
        tokens = dict(tx.connection().execute(_TOKENS).all())
        tx.info[_BEGUN] = waited, tokens
    found: UUID | None = tokens.get(kind)
    return found


def kept(tx: Session, kind: str, read: Callable[[], T]) -> T:
    """What was read under the present token of a kind; read anew where there is none, or where it is being changed."""
    if kind in tx.info:
        known: dict[str, Any] = tx.info.setdefault(_READ, {})
        if kind not in known:
            known[kind] = read()
        changed: T = known[kind]
        return changed
    token = token_of(tx, kind)
    if token is None:
        return read()
    with _lock:
        values = _kept.setdefault(kind, OrderedDict())
        if token in values:
            found: T = values[token]
            return found
    # The token was read before what it stands for: what is newer has another token already.
    value = read()
    with _lock:
        values[token] = value
        while len(values) > MOST:
            values.popitem(last=False)
    return value
