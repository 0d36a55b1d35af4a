"""Imported costs: sets of rows that stand or stood, and what of them is whose by day; tables and queries."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from itertools import accumulate
from typing import Any
from uuid import UUID

import polars as pl
from sqlalchemy import (
    BigInteger,
    ColumnElement,
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
    and_,
    case,
    delete,
    func,
    select,
    true,
    tuple_,
    update,
)
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.exact import AMOUNT_PLACES
from gradumen.core.metering.cost_days import ALIKE
from gradumen.store.bulk import decimal_text, load_rows
from gradumen.store.columns import Amount, Base, Moment, ascii_text
from gradumen.store.metering.tables import DeliveryRow, FeedRow, OriginRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

_NAME = String(191, collation="utf8mb4_bin")


class CostSetRow(Base):
    """What a delivery states of a billing account and UTC day, whole; an empty one states that there is nothing.

    ``revision`` is when the source wrote it; of all that came the highest ``is_current`` (true, else null).
    ``stale_since``: what of it is whose is to be made again. While its export does not count yet ``delivery_id`` is 0.
    """

    __tablename__ = "cost_sets"
    __table_args__ = (
        UniqueConstraint("feed_id", "account", "day", "is_current"),
        Index("ix_cost_sets_delivery_id", "delivery_id"),
        Index("ix_cost_sets_stale_since", "stale_since"),
        Index("ix_cost_sets_export_id", "export_id"),
        Index("ix_cost_sets_unread_since", "unread_since"),
        Index("ix_cost_sets_ready_at", "ready_at"),
        Index("ix_cost_sets_estimated_from", "estimated_from"),
        Index("ix_cost_sets_waits_day", "waits", "day"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    account: Mapped[str] = mapped_column(_NAME)
    day: Mapped[date]
    revision: Mapped[datetime] = mapped_column(Moment)
    delivery_id: Mapped[int] = mapped_column(BigInteger)
    is_current: Mapped[bool | None]
    stale_since: Mapped[datetime | None] = mapped_column(Moment)
    rows: Mapped[int]
    weight: Mapped[Decimal] = mapped_column(Amount)
    """The billed costs of its rows, regardless of their sign."""
    export_id: Mapped[int | None] = mapped_column(BigInteger)
    unread_since: Mapped[datetime | None] = mapped_column(Moment)
    """Since when what it says was used is to be read, or read again."""
    ready_at: Mapped[datetime | None] = mapped_column(Moment)
    """When the next of what it says was used is over, where something is not yet; in business time."""
    was_read: Mapped[bool] = mapped_column(default=False)
    """What of it cannot be read was told."""
    waits: Mapped[bool] = mapped_column(default=False)
    """Some of it is divided by what is used on its day, and nobody's until that is over."""
    estimated_from: Mapped[int | None] = mapped_column(BigInteger)
    """Nobody sent it: it is as this set was, until a file states its day."""


class CostRowRow(Base):
    """A row of a set, as it was sent; without foreign keys, as there are many.

    Its charge period ``begins`` so many seconds after the set's day and ``lasts`` so many; null in rows of before that
    was kept.
    """

    __tablename__ = "cost_rows"

    set_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    month: Mapped[date]
    resource_id: Mapped[int]
    origin_id: Mapped[int]
    attribute_set_id: Mapped[int]
    category: Mapped[str] = mapped_column(ascii_text(12))
    correction: Mapped[bool]
    commitment: Mapped[bool]
    currency: Mapped[str] = mapped_column(ascii_text(3))
    billed: Mapped[Decimal] = mapped_column(Amount)
    effective: Mapped[Decimal] = mapped_column(Amount)
    listed: Mapped[Decimal] = mapped_column(Amount)
    contracted: Mapped[Decimal] = mapped_column(Amount)
    quantity: Mapped[Decimal | None] = mapped_column(Amount)
    unit: Mapped[str | None] = mapped_column(String(60))
    invoice: Mapped[str | None] = mapped_column(String(120))
    begins: Mapped[int | None]
    lasts: Mapped[int | None]


class CostDayRow(Base):
    """What of a standing set is whose: sums of its rows that are alike.

    ``project_number`` 0 is nobody's. ``sold_billed`` and ``sold_effective`` are in the currency of the feed's meter;
    null where no exchange rate says what they are there.
    """

    __tablename__ = "cost_days"
    __table_args__ = (Index("ix_cost_days_project_number_month", "project_number", "month"),)

    set_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    project_number: Mapped[int]
    month: Mapped[date]
    day: Mapped[date]
    meter_id: Mapped[int]
    resource_id: Mapped[int]
    origin_id: Mapped[int]
    attribute_set_id: Mapped[int]
    category: Mapped[str] = mapped_column(ascii_text(12))
    commitment: Mapped[bool]
    currency: Mapped[str] = mapped_column(ascii_text(3))
    billed: Mapped[Decimal] = mapped_column(Amount)
    effective: Mapped[Decimal] = mapped_column(Amount)
    sold_billed: Mapped[Decimal | None] = mapped_column(Amount)
    sold_effective: Mapped[Decimal | None] = mapped_column(Amount)
    rows: Mapped[int]


Key = tuple[int, str, date]
"""Feed, billing account and UTC day."""


def _at(key: Key) -> ColumnElement[bool]:
    feed, account, day = key
    return and_(CostSetRow.feed_id == feed, CostSetRow.account == account, CostSetRow.day == day)


def standing_sets(tx: Session, feed: int, account: str, first: date, last: date) -> dict[date, CostSetRow]:
    """The sets of a billing account that stand on some days, for a decision, by day."""
    row = CostSetRow
    query = select(row).where(row.feed_id == feed, row.account == account, row.day.between(first, last))
    found = tx.scalars(query.where(row.is_current.is_(True)).with_for_update())
    return {each.day: each for each in found}


def has_sets(tx: Session, feed: int) -> bool:
    """Whether a feed's files ever stated costs."""
    return tx.scalars(select(CostSetRow.id).where(CostSetRow.feed_id == feed).limit(1)).first() is not None


def sets_of_delivery(tx: Session, delivery: int) -> list[CostSetRow]:
    """The sets that a delivery brought, for a decision."""
    query = select(CostSetRow).where(CostSetRow.delivery_id == delivery).order_by(CostSetRow.id)
    return list(tx.scalars(query.with_for_update()))


def next_best(tx: Session, key: Key, without: int) -> CostSetRow | None:
    """Of the sets of a key that came, but one, the highest whose delivery was not taken back."""
    row = CostSetRow
    query = select(row).join(DeliveryRow, DeliveryRow.id == row.delivery_id)
    query = query.where(_at(key), row.id != without, DeliveryRow.taken_back_by.is_(None))
    return tx.scalars(query.order_by(row.revision.desc(), row.id.desc()).limit(1)).first()


def mark_feeds(tx: Session, feeds: Collection[int], first: date, end: date, at: datetime) -> None:
    """What is whose is to be made again of the sets of some days, up to (not including) one."""
    row = CostSetRow
    where = (row.feed_id.in_(feeds), row.day >= first, row.day < end, row.is_current.is_(True))
    tx.execute(
        update(row).where(*where).values(stale_since=func.coalesce(row.stale_since, at)),
        execution_options={"synchronize_session": False},
    )


def rows_of_feeds(tx: Session, feeds: Collection[int], first: date, end: date) -> int:
    """How many rows the sets of some days have that stand, up to (not including) one."""
    row = CostSetRow
    where = (row.feed_id.in_(feeds), row.day >= first, row.day < end, row.is_current.is_(True))
    return int(tx.scalar(select(func.coalesce(func.sum(row.rows), 0)).where(*where)) or 0)


def next_stale(tx: Session, most: int, most_rows: int) -> list[CostSetRow]:
    """The oldest sets that are marked, held so that rivals wait: of so many rows, or one that has more."""
    row = CostSetRow
    query = select(row).where(row.stale_since.is_not(None)).order_by(row.stale_since, row.id).limit(most)
    marked = list(tx.scalars(query.with_for_update(), execution_options={"populate_existing": True}))
    rows = list(accumulate(each.rows for each in marked))
    return [each for place, each in enumerate(marked) if not place or rows[place] <= most_rows]


_STALE = (CostSetRow.stale_since, CostSetRow.unread_since)
OLDEST_STALE: list[ColumnElement[Any]] = [select(func.min(each)).scalar_subquery() for each in _STALE]
"""Since when the oldest set is marked, for whose it is and for what was used; None where none is."""


def oldest_stale(tx: Session) -> datetime | None:
    """Since when the oldest is marked, for whose it is or for what was used."""
    return min((each for each in tx.execute(select(*OLDEST_STALE)).one() if each is not None), default=None)


def current_sets(tx: Session, keys: Collection[Key]) -> list[CostSetRow]:
    """The sets of keys that stand."""
    row = CostSetRow
    query = select(row).where(tuple_(row.feed_id, row.account, row.day).in_(keys), row.is_current.is_(True))
    return list(tx.scalars(query.order_by(row.id)))


def take_out(tx: Session, keys: Collection[Key]) -> set[tuple[int, date]]:
    """Remove what was whose of keys; gives the projects, by number, and months that had any."""
    named = tuple_(CostSetRow.feed_id, CostSetRow.account, CostSetRow.day).in_(keys)
    ids = list(tx.scalars(select(CostSetRow.id).where(named)))
    row = CostDayRow
    gone = {(project, month) for project, month in tx.execute(
        select(row.project_number, row.month).where(row.set_id.in_(ids)).distinct()
    )}  # fmt: skip
    tx.execute(delete(row).where(row.set_id.in_(ids)), execution_options={"synchronize_session": False})
    return gone


def alike_rows(tx: Session, sets: Collection[int]) -> pl.DataFrame:
    """The rows of sets, those that are alike added up; see `gradumen.core.metering.cost_days.ALIKE`."""
    row, part = CostRowRow, CostSetRow
    keys = (
        row.set_id, row.month, part.day, row.resource_id, row.origin_id, row.attribute_set_id, row.category,
        row.commitment, row.currency,
    )  # fmt: skip
    # A text a row: the driver would make an object of each of its columns.
    line = func.concat_ws("\t", *keys, func.sum(row.billed), func.sum(row.effective), func.count())
    query = select(line).join(part, part.id == row.set_id).where(row.set_id.in_(sets)).group_by(*keys).order_by(*keys)
    lines = tx.scalars(query).all()
    schema = {**ALIKE, "billed": pl.String, "effective": pl.String}
    if not lines:
        return pl.DataFrame(schema=ALIKE)
    frame = pl.read_csv("\n".join(lines).encode(), has_header=False, separator="\t", quote_char=None, schema=schema)
    return frame.with_columns(pl.col("billed", "effective").cast(pl.Decimal(38, AMOUNT_PLACES)).to_physical())


def put_in(tx: Session, days: pl.DataFrame) -> None:
    """Add what is whose; see `gradumen.core.metering.cost_days.cost_days`, and its meter."""
    amounts = ("billed", "effective", "sold_billed", "sold_effective")
    load_rows(tx, "cost_days", days.with_columns(decimal_text(each, AMOUNT_PLACES) for each in amounts))


def costs_of(tx: Session, projects: Collection[int], months: Collection[date]) -> Sequence[Any]:
    """What projects cost in the source's months.

    Project, meter, attributes, resource, day, month, category, whether it buys a commitment, currency, billed and
    effective cost, both as they are sold, and whether it is an estimate.
    """
    row = CostDayRow
    columns = (
        row.project_number, row.meter_id, row.attribute_set_id, row.resource_id, row.day, row.month, row.category,
        row.commitment, row.currency, row.billed, row.effective, row.sold_billed, row.sold_effective,
        CostSetRow.estimated_from.is_not(None).label("estimated"),
    )  # fmt: skip
    query = select(*columns).join(CostSetRow, CostSetRow.id == row.set_id)
    return tx.execute(query.where(row.project_number.in_(projects), row.month.in_(months))).all()


@dataclass(frozen=True, slots=True)
class CostSum:
    """What a billing account's own account cost in a month, by whose it is."""

    feed: str
    billing_account: str
    account: str
    category: str
    owner: str | None
    currency: str
    billed: Decimal
    effective: Decimal
    estimated: Decimal
    converted: int
    rows: Decimal
    first: date
    last: date


def sums_of_month(tx: Session, organisation: UUID, month: date) -> list[CostSum]:
    """What an organisation's feeds say that a month cost, by account, category and owner; ``estimated`` of billed."""
    day, owner = CostDayRow, func.concat(OrganisationRow.slug, "/", ProjectRow.slug)
    guessed = case((CostSetRow.estimated_from.is_not(None), day.billed), else_=Decimal(0))
    keys = (FeedRow.slug, CostSetRow.account, OriginRow.account, day.category, owner, day.currency)
    query = (
        select(
            *keys, func.sum(day.billed), func.sum(day.effective), func.sum(guessed),
            func.min(day.sold_billed.is_not(None)), func.sum(day.rows), func.min(day.day), func.max(day.day),
        )
        .join(CostSetRow, CostSetRow.id == day.set_id)
        .join(FeedRow, FeedRow.id == CostSetRow.feed_id)
        .join(OriginRow, OriginRow.id == day.origin_id)
        .outerjoin(ProjectRow, ProjectRow.number == day.project_number)
        .outerjoin(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(FeedRow.organisation_id == organisation, day.month == month)
        .group_by(*keys)
        .order_by(*keys)
    )  # fmt: skip
    rows: Any = tx.execute(query).all()
    return [CostSum(*each) for each in rows]


@dataclass(frozen=True, slots=True)
class CostGroup:
    """What a resource cost on a day, as it is told apart by whoever says whose it is."""

    resource: int
    meter: int
    origin: int
    attributes: int
    first: date
    last: date
    currency: str
    billed: Decimal


def cost_groups(
    tx: Session, feeds: Collection[int], first: date, end: date, most: int, *, nobodys: bool = False
) -> list[CostGroup]:
    """What the files of feeds say of days from one up to another, without the suppliers' tax; ``most`` at most.

    Args:
        nobodys: only what is nobody's by now.
    """
    day = CostDayRow
    keys = (day.resource_id, day.meter_id, day.origin_id, day.attribute_set_id, day.day, day.day, day.currency)
    query = (
        select(*keys, func.sum(day.billed))
        .join(CostSetRow, CostSetRow.id == day.set_id)
        .where(CostSetRow.feed_id.in_(feeds), day.day >= first, day.day < end, day.category != "Tax")
        .where(day.project_number == 0 if nobodys else true())
        .group_by(*keys)
        .order_by(*keys)
        .limit(most)
    )
    rows: Any = tx.execute(query).all()
    return [CostGroup(*each) for each in rows]


def nobodys_costs(tx: Session, organisation: UUID, since: date) -> list[tuple[str, Decimal]]:
    """What came to an organisation since a day that is nobody's, by currency, without the suppliers' tax.

    But for what waits for its day to be over, to be divided.
    """
    day = CostDayRow
    query = (
        select(day.currency, func.sum(day.billed))
        .join(CostSetRow, CostSetRow.id == day.set_id)
        .join(FeedRow, FeedRow.id == CostSetRow.feed_id)
        .where(
            FeedRow.organisation_id == organisation, day.project_number == 0, day.day >= since, day.category != "Tax"
        )
        .where(CostSetRow.waits.is_(False))
        .group_by(day.currency)
        .order_by(day.currency)
    )
    return [(currency, billed) for currency, billed in tx.execute(query)]
