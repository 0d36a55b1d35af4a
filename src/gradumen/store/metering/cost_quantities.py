"""What sets of cost files say was used, and the readings that were made of it; tables and queries."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import BigInteger, and_, delete, func, insert, select, tuple_, update
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.exact import AMOUNT_PLACES, scaled
from gradumen.core.metering.cost_quantities import Used
from gradumen.core.periods import midnight
from gradumen.store.columns import Base
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow, Key
from gradumen.store.metering.tables import HASH, FeedRow, OriginRow, ResourceRow
from gradumen.store.metering.usage import attribute_sets


class CostReadingRow(Base):
    """A reading that was made of a set's rows, by what it is known."""

    __tablename__ = "cost_readings"

    set_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    key: Mapped[bytes] = mapped_column(HASH, primary_key=True)


def feed_to_read(tx: Session) -> int | None:
    """The feed of the oldest set whose quantities are to be read."""
    row = CostSetRow
    query = select(row.feed_id).where(row.unread_since.is_not(None)).order_by(row.unread_since, row.id)
    return tx.scalars(query.limit(1)).first()


def next_unread(tx: Session, feed: int, most: int, most_rows: int) -> list[CostSetRow]:
    """A feed's oldest sets whose quantities are to be read, held: of so many rows, or one that has more."""
    row = CostSetRow
    query = select(row).where(row.feed_id == feed, row.unread_since.is_not(None)).order_by(row.unread_since, row.id)
    found: list[CostSetRow] = []
    rows = 0
    for each in tx.scalars(query.limit(most).with_for_update(), execution_options={"populate_existing": True}):
        rows += each.rows
        if found and rows > most_rows:
            break
        found.append(each)
    return found


def standing(tx: Session, keys: Collection[Key]) -> list[CostSetRow]:
    """The sets of keys that stand, held."""
    row = CostSetRow
    query = select(row).where(tuple_(row.feed_id, row.account, row.day).in_(keys), row.is_current.is_(True))
    return list(tx.scalars(query.order_by(row.id).with_for_update()))


def used_of(tx: Session, sets: Collection[CostSetRow]) -> dict[int, list[Used]]:
    """What the rows of sets say was used, those that are alike added up, by set."""
    row = CostRowRow
    keys = (
        row.set_id, ResourceRow.name, OriginRow.account, OriginRow.source, row.attribute_set_id, row.unit, row.begins,
        row.lasts,
    )  # fmt: skip
    query = (
        select(*keys, func.sum(row.quantity))
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .join(OriginRow, OriginRow.id == row.origin_id)
        .where(row.set_id.in_([each.id for each in sets]), row.category == "Usage")
        .where(row.quantity.is_not(None), row.unit.is_not(None), row.begins.is_not(None))
        .group_by(*keys)
    )
    rows: Sequence[Any] = tx.execute(query).all()
    said = {
        number: tuple(sorted(document.items()))
        for number, document in attribute_sets(tx, {each[4] for each in rows}).items()
    }
    days = {each.id: midnight(each.day) for each in sets}
    found: dict[int, list[Used]] = defaultdict(list)
    for number, resource, account, source, attributes, unit, begins, lasts, quantity in rows:
        start = days[number] + timedelta(seconds=begins)
        span = start, start + timedelta(seconds=lasts)
        whole = scaled(quantity, AMOUNT_PLACES)
        found[number].append(Used(resource, account, source, said[attributes], unit, *span, whole))
    return found


def rows_without_times(tx: Session, feed: int) -> int:
    """Rows that say that something was used and came before their times were kept, of sets that stand."""
    row = CostRowRow
    query = select(func.count()).select_from(row).join(CostSetRow, CostSetRow.id == row.set_id)
    query = query.where(CostSetRow.feed_id == feed, CostSetRow.is_current.is_(True), row.begins.is_(None))
    return tx.scalar(query.where(row.quantity.is_not(None))) or 0


def made_of(tx: Session, keys: Collection[Key]) -> dict[bytes, Key]:
    """What was made of all sets of keys, by what it is known."""
    row = CostSetRow
    query = select(CostReadingRow.key, row.feed_id, row.account, row.day).join(row, row.id == CostReadingRow.set_id)
    rows = tx.execute(query.where(tuple_(row.feed_id, row.account, row.day).in_(keys)))
    return {bytes(key): (feed, account, day) for key, feed, account, day in rows}


def keep_made(tx: Session, keys: Collection[Key], made: Mapping[bytes, int]) -> None:
    """Keep what is made of the sets of keys now, by what it is known and of which, in the place of what was before."""
    named = tuple_(CostSetRow.feed_id, CostSetRow.account, CostSetRow.day).in_(keys)
    sets = list(tx.scalars(select(CostSetRow.id).where(named)))
    row = CostReadingRow
    tx.execute(delete(row).where(row.set_id.in_(sets)), execution_options={"synchronize_session": False})
    if made:
        tx.execute(insert(row), [{"set_id": number, "key": key} for key, number in made.items()])


def read_all_again(tx: Session, feed: int, at: datetime) -> None:
    """Have what a feed's sets that stand say was used read again."""
    row = CostSetRow
    where = (row.feed_id == feed, row.is_current.is_(True))
    statement = update(row).where(*where).values(unread_since=at)
    tx.execute(statement, execution_options={"synchronize_session": False})


def feeds_reading(tx: Session) -> list[int]:
    """The feeds of which what their cost files say was used counts as usage."""
    return list(tx.scalars(select(FeedRow.id).where(FeedRow.reads_quantities).order_by(FeedRow.id)))


def mark_ready(tx: Session, now: datetime, at: datetime) -> int:
    """Have sets read again of which something was not over yet, and is now; gives how many."""
    row = CostSetRow
    ready = and_(row.ready_at.is_not(None), row.ready_at <= now)
    made = tx.execute(
        update(row).where(ready).values(unread_since=func.coalesce(row.unread_since, at), ready_at=None),
        execution_options={"synchronize_session": False},
    )
    return int(getattr(made, "rowcount", 0))
