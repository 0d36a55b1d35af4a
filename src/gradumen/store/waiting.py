"""One look at all that a worker may have to do."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import BindParameter, ColumnElement, Select, bindparam, exists, func, or_, select
from sqlalchemy.orm import Session

from gradumen.core.subscriptions.moves import MoveState
from gradumen.core.tasks import State
from gradumen.store import pairs, tasks
from gradumen.store.columns import Moment
from gradumen.store.metering.divided_days import is_over
from gradumen.store.metering.imported_costs import OLDEST_STALE, CostSetRow
from gradumen.store.metering.tables import FeedWatermarkRow, SpellRow, StaleUsageRow
from gradumen.store.pairs import PairRow
from gradumen.store.subscriptions.tables import MoveRow
from gradumen.store.tasks import TaskRow


@dataclass(frozen=True, slots=True)
class Waiting:
    """Whether any task is due, any usage is marked, any pair is due, any move's moment has come."""

    tasks: bool
    marks: bool
    pairs: bool
    moves: bool


_AT: BindParameter[datetime] = bindparam("at", type_=Moment())
_BUSINESS: BindParameter[datetime] = bindparam("business", type_=Moment())
_USAGE_WAITS = or_(
    exists(select(StaleUsageRow.id)),
    exists().where(CostSetRow.stale_since.is_not(None)),
    exists().where(CostSetRow.unread_since.is_not(None)),
    is_over(_BUSINESS),
    exists().where(FeedWatermarkRow.id == SpellRow.watermark_id, SpellRow.end_at < FeedWatermarkRow.told_until),
)
_OLDEST: list[ColumnElement[Any]] = [
    select(StaleUsageRow.marked_at).order_by(StaleUsageRow.id).limit(1).scalar_subquery(),
    *OLDEST_STALE,
]
# Workers and pages ask these all the time: they are made once.
_USAGE: Select[Any] = select(_USAGE_WAITS, *_OLDEST)
_WHAT_WAITS = select(
    exists().where(tasks.is_due(_AT)),
    _USAGE_WAITS,
    exists().where(pairs.is_due(_AT)),
    exists().where(MoveRow.state == MoveState.PLANNED, MoveRow.starts_at <= _BUSINESS),
)


def what_waits(tx: Session, at: datetime, business: datetime) -> Waiting:
    """What there is to do at a real time and at that of business, in one statement."""
    row = tx.execute(_WHAT_WAITS, {"at": at, "business": business}).one()
    return Waiting(*map(bool, row))


def usage_waits(tx: Session, business: datetime) -> tuple[bool, datetime | None]:
    """Whether any usage is to be made, and since when the oldest is marked, of usage or of imported costs.

    One statement, which sees one moment: what moves from one list to the next meanwhile would be missed by two.
    """
    waits, *marked = tx.execute(_USAGE, {"business": business}).one()
    return bool(waits), min((each for each in marked if each is not None), default=None)


@dataclass(frozen=True, slots=True)
class Backlog:
    """What is to do: the oldest mark of usage, stale pairs, those that cannot be rated, and tasks."""

    oldest_mark: datetime | None
    stale_pairs: int
    oldest_pair: datetime | None
    refused_pairs: int
    tasks: int
    oldest_task: datetime | None
    needing_a_hand: int


def backlog(tx: Session) -> Backlog:
    """What is to do, with since when the oldest of each kind waits."""
    stale, oldest_pair, refused = tx.execute(
        select(func.count(), func.min(PairRow.stale_since), func.count(PairRow.problem)).where(
            PairRow.stale_since.is_not(None)
        )
    ).one()
    waiting, oldest_task = tx.execute(
        select(func.count(), func.min(TaskRow.asked_at)).where(TaskRow.state.in_([State.WAITING, State.RUNNING]))
    ).one()
    hand = tx.scalar(select(func.count()).where(TaskRow.state == State.NEEDS_A_HAND)) or 0
    marked = min((each for each in tx.execute(select(*_OLDEST)).one() if each is not None), default=None)
    return Backlog(marked, stale, oldest_pair, refused, waiting, oldest_task, hand)
