"""Exports of costs: one or several files written at one moment, whose sets count together; tables and queries."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, Select, SmallInteger, delete, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow

PLACES = 10_000_000
"""Positions that each file of an export has in the sets; more rows no file has."""


REMOVED = 50_000
"""Rows that are removed at once."""


class CostExportRow(Base):
    """What was written at ``revision``, in so many files (``parts``).

    It states all that there is from ``first`` to ``last``, where they are said. ``made_at`` is when the first of it
    came, ``delivery_id`` by which it counts; before, its sets are there but nobody sees them.
    """

    __tablename__ = "cost_exports"
    __table_args__ = (Index("ix_cost_exports_feed_id_revision", "feed_id", "revision"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    revision: Mapped[datetime] = mapped_column(Moment)
    parts: Mapped[int] = mapped_column(SmallInteger)
    first: Mapped[date | None]
    last: Mapped[date | None]
    made_at: Mapped[datetime] = mapped_column(Moment)
    delivery_id: Mapped[int | None] = mapped_column(BigInteger)


def find_export(tx: Session, feed: int, revision: datetime, parts: int) -> CostExportRow | None:
    """The export of several files that was written at a moment and does not count yet."""
    row = CostExportRow
    query = select(row).where(row.feed_id == feed, row.revision == revision, row.parts == parts)
    return tx.scalars(query.where(row.delivery_id.is_(None)).order_by(row.id).limit(1)).first()


def hold_export(tx: Session, export: int) -> CostExportRow | None:
    """An export, so that others who add to it wait; None where it is gone."""
    return tx.scalars(select(CostExportRow).where(CostExportRow.id == export).with_for_update()).first()


def exports_by_number(tx: Session, numbers: Collection[int]) -> dict[int, CostExportRow]:
    """Exports by number."""
    return {row.id: row for row in tx.scalars(select(CostExportRow).where(CostExportRow.id.in_(numbers)))}


def staged_sets(tx: Session, export: CostExportRow, keys: Collection[tuple[str, date]]) -> dict[tuple[str, date], int]:
    """The sets of an export that is held, by billing account and day; those that are missing are made."""
    row = CostSetRow
    query = select(row.account, row.day, row.id).where(row.export_id == export.id, row.delivery_id == 0)
    ids = {(account, day): number for account, day, number in tx.execute(query)}
    for account, day in sorted(set(keys) - set(ids)):
        made = add_set(tx, export, account, day)
        ids[account, day] = made.id
    return ids


def add_set(tx: Session, export: CostExportRow, account: str, day: date) -> CostSetRow:
    """A set of an export that has no rows yet and counts for nothing."""
    made = CostSetRow(
        feed_id=export.feed_id, account=account, day=day, revision=export.revision, delivery_id=0, is_current=None,
        stale_since=None, rows=0, weight=Decimal(0), export_id=export.id, unread_since=None, ready_at=None,
        was_read=False, estimated_from=None,
    )  # fmt: skip
    tx.add(made)
    tx.flush()
    return made


@dataclass(frozen=True, slots=True)
class StagedSum:
    """What the rows of a staged set come to in a currency; ``weight`` is billed, regardless of the sign."""

    set_id: int
    currency: str
    rows: int
    weight: Decimal
    billed: Decimal
    effective: Decimal


def staged(tx: Session, export: int) -> tuple[dict[int, CostSetRow], list[StagedSum]]:
    """The sets of an export that does not count yet, by number, and what their rows come to."""
    row, sent = CostSetRow, CostRowRow
    sets = {each.id: each for each in tx.scalars(select(row).where(row.export_id == export, row.delivery_id == 0))}
    sums = (func.count(), func.sum(func.abs(sent.billed)), func.sum(sent.billed), func.sum(sent.effective))
    query = select(sent.set_id, sent.currency, *sums).where(sent.set_id.in_(sets)).group_by(sent.set_id, sent.currency)
    found: Sequence[Any] = tx.execute(query).all()
    return sets, [StagedSum(*each) for each in found]


def drop_staged(tx: Session, export: int, part: int) -> bool:
    """Remove rows of one file of an export that does not count yet; gives whether some are left.

    The sets stay: rows of other files may be in them, and one without rows counts for nothing.
    """
    ids = list(tx.scalars(select(CostSetRow.id).where(CostSetRow.export_id == export, CostSetRow.delivery_id == 0)))
    if not ids:
        return False
    row = CostRowRow
    places = row.position.between(part * PLACES, (part + 1) * PLACES - 1)
    gone = tx.execute(delete(row).where(row.set_id.in_(ids), places).with_dialect_options(mysql_limit=REMOVED))
    return int(getattr(gone, "rowcount", 0)) >= REMOVED


def left_exports(tx: Session, without: Select[int | None], before: datetime) -> list[int]:
    """Exports that came before a moment and do not count, but those of a query, by number."""
    row = CostExportRow
    query = select(row.id).where(row.delivery_id.is_(None), row.made_at < before, row.id.not_in(without))
    return list(tx.scalars(query.order_by(row.id)))


def drop_export(tx: Session, export: int) -> None:
    """Forget an export that has no files any more and never counted."""
    tx.execute(delete(CostSetRow).where(CostSetRow.export_id == export, CostSetRow.delivery_id == 0))
    tx.execute(delete(CostExportRow).where(CostExportRow.id == export, CostExportRow.delivery_id.is_(None)))
