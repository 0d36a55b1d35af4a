"""Pairs: a seller and a buyer in a service period, the unit of rating, with the revisions of what it is rated from.

Whatever can change what a pair is charged raises its wanted revision in its own transaction. The pair of a seller with
itself is what its own services cost it.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import (
    BigInteger,
    BindParameter,
    ColumnElement,
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
    and_,
    bindparam,
    func,
    literal_column,
    select,
    tuple_,
    update,
)
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, aliased, mapped_column

from gradumen.core.periods import Period, months_since
from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.organisations.tables import OrganisationRow, ParentEdgeRow


class PairRow(Base):
    """``rated`` and ``billed`` are the revisions that charges are stored of, and documents; the newest is ``wanted``.

    ``generation`` names the stored charges that hold; ``fence`` counts attempts to rate, only the latest may store.
    ``stale_since`` is None exactly where what is stored is what is wanted. ``version`` is written by every decision
    about the pair's documents. ``delivery_id`` is the last that usage is from, ``problem`` why it cannot be rated.
    """

    __tablename__ = "pairs"
    __table_args__ = (
        UniqueConstraint("seller_id", "buyer_id", "period"),
        Index("ix_pairs_stale_since", "stale_since"),
        Index("ix_pairs_seller_id_period", "seller_id", "period"),
    )

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    period: Mapped[str] = mapped_column(ascii_text(7))
    wanted: Mapped[int] = mapped_column(BigInteger)
    rated: Mapped[int] = mapped_column(BigInteger)
    billed: Mapped[int] = mapped_column(BigInteger)
    generation: Mapped[int]
    fence: Mapped[int]
    version: Mapped[int]
    stale_since: Mapped[datetime | None] = mapped_column(Moment)
    rated_at: Mapped[datetime | None] = mapped_column(Moment)
    not_before: Mapped[datetime | None] = mapped_column(Moment)
    lease_until: Mapped[datetime | None] = mapped_column(Moment)
    problem: Mapped[str | None] = mapped_column(String(1000))
    delivery_id: Mapped[int] = mapped_column(BigInteger)


Link = tuple[UUID, UUID]
"""Who sells and who buys."""
T = TypeVar("T", bound=tuple[Any, ...])
BATCH = 2000
_COUNTS = {"rated": 0, "billed": 0, "generation": 0, "fence": 0, "version": 0, "delivery_id": 0}
# The driver makes one statement of many rows only where nothing but these has parameters.
_NOW = literal_column("utc_timestamp(6)", Moment())
_HIGHER = {
    "wanted": PairRow.wanted + literal_column("1"),
    "stale_since": func.coalesce(PairRow.stale_since, _NOW),
}


def raise_pairs(tx: Session, months: Mapping[UUID, Collection[date]]) -> None:
    """What organisations are charged may have changed, each in some months, on every link above them."""
    above = links_above(tx, months)
    _raise(tx, {(*link, month) for organisation, of in months.items() for link in above[organisation] for month in of})


def raise_pairs_since(tx: Session, firsts: Mapping[UUID, date], today: date) -> None:
    """What organisations are charged may have changed, each from a day on, on every link above them."""
    since: dict[Link, date] = {}
    for organisation, links in links_above(tx, firsts).items():
        for link in links:
            since[link] = min(firsts[organisation], since.get(link, date.max))
    raise_links_since(tx, since, today)


def raise_links_since(tx: Session, firsts: Mapping[Link, date], last: date) -> None:
    """What is charged on links may have changed from the month of a day on, at least to the one after another's.

    So may it in all later months that have a pair: months ahead have one where somebody asked what they would come to,
    or where the clock was set back.
    """
    _raise(tx, {(*link, month) for link, first in firsts.items() for month in months_since(first, last)})
    passed = Period(last.year, last.month).next().text
    ahead = defaultdict(list)
    for link, first in firsts.items():
        ahead[max(f"{first:%Y-%m}", passed)].append(link)
    for period, links in sorted(ahead.items()):
        later = PairRow.period > period if period == passed else PairRow.period >= period
        for some in _batches(links):
            tx.execute(
                update(PairRow).where(tuple_(PairRow.seller_id, PairRow.buyer_id).in_(some), later).values(_HIGHER),
                execution_options={"synchronize_session": False},
            )


def _raise(tx: Session, wanted: set[tuple[UUID, UUID, date]]) -> None:
    """Pairs, in the order of their links: rivals wait for each other."""
    place = tuple_(PairRow.seller_id, PairRow.buyer_id, PairRow.period)
    for keys in _batches([(seller, buyer, f"{month:%Y-%m}") for seller, buyer, month in wanted]):
        raised = tx.execute(
            update(PairRow).where(place.in_(keys)).values(_HIGHER), execution_options={"synchronize_session": False}
        )
        if raised.rowcount < len(keys):  # type: ignore[attr-defined]  # an UPDATE gives a cursor result, of the rows it found
            # Only what is missing is inserted: each row that an INSERT tries uses up a number.
            query = select(PairRow.seller_id, PairRow.buyer_id, PairRow.period).where(place.in_(keys))
            there = {tuple(row) for row in tx.execute(query)}
            _insert(tx, [key for key in keys if key not in there])


def _insert(tx: Session, keys: Sequence[tuple[UUID, UUID, str]]) -> None:
    """Pairs that were not there; what a rival has written meanwhile is wanted anew, too."""
    if not keys:
        return
    at = tx.scalar(select(_NOW))
    rows = [
        {"seller_id": seller, "buyer_id": buyer, "period": period, "wanted": 1, "stale_since": at, **_COUNTS}
        for seller, buyer, period in keys
    ]
    # Of many rows the driver makes one statement, and quicker than one is written out here.
    table: Any = PairRow.__table__
    tx.execute(insert(table).on_duplicate_key_update(_HIGHER), rows)


def _batches(keys: Iterable[T]) -> Iterator[list[T]]:
    """In order, so many that a statement stays short."""
    ordered = sorted(keys)
    for first in range(0, len(ordered), BATCH):
        yield ordered[first : first + BATCH]


def raise_own_pairs(tx: Session, seller: UUID) -> None:
    """What a seller's own services cost it may have changed, in any month."""
    tx.execute(
        update(PairRow).where(PairRow.seller_id == seller, PairRow.buyer_id == seller).values(_HIGHER),
        execution_options={"synchronize_session": False},
    )


def raise_sold(tx: Session, seller: UUID, since: date) -> None:
    """What a seller charges may have changed from the month of a day on, on all of its links."""
    tx.execute(
        update(PairRow).where(PairRow.seller_id == seller, PairRow.period >= f"{since:%Y-%m}").values(_HIGHER),
        execution_options={"synchronize_session": False},
    )


def links_above(tx: Session, organisations: Collection[UUID]) -> dict[UUID, set[Link]]:
    """Of organisations each link through which one is or was charged, and each seller on the way with itself."""
    above = (
        select(ParentEdgeRow.parent_id, ParentEdgeRow.child_id)
        .where(ParentEdgeRow.child_id.in_(organisations))
        .cte("above", recursive=True)
    )
    edge = aliased(ParentEdgeRow)
    above = above.union(select(edge.parent_id, edge.child_id).where(edge.child_id == above.c.parent_id))
    parents = defaultdict(set)
    for parent, child in tx.execute(select(above.c.parent_id, above.c.child_id)):
        parents[child].add(parent)
    members = {*organisations, *(each for found in parents.values() for each in found)}
    query = select(OrganisationRow.id).where(OrganisationRow.id.in_(members), OrganisationRow.type != "tenant")
    sellers = set(tx.scalars(query))
    return {each: _links(each, parents, sellers) for each in organisations}


def _links(organisation: UUID, parents: Mapping[UUID, set[UUID]], sellers: set[UUID]) -> set[Link]:
    """The links above one, and its sellers' and its own with themselves."""
    found: set[Link] = set()
    waiting = [organisation]
    while waiting:
        child = waiting.pop()
        if child in sellers:
            found.add((child, child))
        for parent in parents.get(child, ()):
            if (parent, child) not in found:
                found.add((parent, child))
                waiting.append(parent)
    return found


def ensure_pairs(tx: Session, sold: Iterable[tuple[UUID, UUID]], periods: Collection[str]) -> None:
    """A period's start rates every link on which anything is sold: pairs that are not there yet are wanted."""
    links = {each for seller, buyer in sold for each in ((seller, buyer), (seller, seller))}
    query = select(PairRow.seller_id, PairRow.buyer_id, PairRow.period).where(
        PairRow.seller_id.in_({seller for seller, _ in links}), PairRow.period.in_(periods)
    )
    there = {tuple(row) for row in tx.execute(query)}
    wanted = [(*link, period) for link in sorted(links) for period in sorted(periods)]
    _insert(tx, [key for key in wanted if key not in there])


def sold_pairs(tx: Session, seller: UUID, period: str) -> list[PairRow]:
    """A seller's pairs of a period with its buyers, not with itself, in a fixed order."""
    query = select(PairRow).where(PairRow.seller_id == seller, PairRow.buyer_id != seller, PairRow.period == period)
    return list(tx.scalars(query.order_by(PairRow.buyer_id)))


def pairs_to_bill(tx: Session, seller: UUID, buyers: Collection[UUID], up_to: str) -> list[PairRow]:
    """The pairs of links, up to a period, of which another revision is rated than billed; held for a decision."""
    query = select(PairRow).where(
        PairRow.seller_id == seller, PairRow.buyer_id.in_(buyers), PairRow.period <= up_to, is_to_bill()
    )
    rows = list(tx.scalars(query.order_by(PairRow.period, PairRow.id).with_for_update()))
    for row in rows:
        row.version += 1
    return rows


def is_to_bill() -> ColumnElement[bool]:
    """Whether another revision is rated than billed."""
    return and_(PairRow.rated != PairRow.billed, PairRow.rated > 0)


def buyers_to_bill(tx: Session, seller: UUID, up_to: str, coming: str) -> set[UUID]:
    """Buyers of whom anything may be to bill up to a period, and those who have a pair in the coming one."""
    query = select(PairRow.buyer_id).where(
        PairRow.seller_id == seller,
        PairRow.buyer_id != seller,
        and_(PairRow.period <= up_to, is_to_bill()) | and_(PairRow.period == coming, PairRow.rated > 0),
    )
    return set(tx.scalars(query))


def stale_pairs(tx: Session, seller: UUID, up_to: str) -> dict[str, list[PairRow]]:
    """The pairs of a seller with its buyers whose charges are not those wanted, by period up to one."""
    query = select(PairRow).where(
        PairRow.seller_id == seller,
        PairRow.buyer_id != seller,
        PairRow.period <= up_to,
        PairRow.stale_since.is_not(None),
    )
    found: dict[str, list[PairRow]] = {}
    for row in tx.scalars(query.order_by(PairRow.period, PairRow.id)):
        found.setdefault(row.period, []).append(row)
    return found


def is_due(at: datetime | BindParameter[datetime]) -> ColumnElement[bool]:
    """Whether a pair is stale, does not rest and is not with another worker."""
    return and_(
        PairRow.stale_since.is_not(None),
        PairRow.not_before.is_(None) | (PairRow.not_before <= at),
        PairRow.lease_until.is_(None) | (PairRow.lease_until <= at),
    )


_DUE = (
    select(PairRow)
    .where(is_due(bindparam("at", type_=Moment())))
    .order_by(PairRow.stale_since, PairRow.id)
    .limit(bindparam("most"))
)
_DUE_ALIKE = _DUE.where(PairRow.seller_id == bindparam("seller"), PairRow.period == bindparam("period"))


def due_pairs(tx: Session, at: datetime, most: int) -> list[PairRow]:
    """Pairs of one seller and period that are due; the oldest first."""
    first = tx.scalars(_DUE, {"at": at, "most": 1}).first()
    if first is None:
        return []
    alike = {"at": at, "most": most, "seller": first.seller_id, "period": first.period}
    return list(tx.scalars(_DUE_ALIKE, alike))


def release(tx: Session) -> None:
    """Let every pair go."""
    tx.execute(update(PairRow).where(PairRow.lease_until.is_not(None)).values(lease_until=None))


def pairs_with(
    tx: Session, seller: UUID, buyers: Collection[UUID] | None, period: str, *, lock: bool = False
) -> list[PairRow]:
    """The pairs of a seller in a period, with some buyers or all and itself."""
    query = select(PairRow).where(PairRow.seller_id == seller, PairRow.period == period).order_by(PairRow.id)
    query = query if buyers is None else query.where(PairRow.buyer_id.in_(buyers))
    return list(tx.scalars(query.with_for_update() if lock else query))


def wanted_by_buyer(tx: Session, seller: UUID, period: str) -> dict[UUID, int]:
    """The revisions that are wanted of a seller's pairs of a period with its buyers, not with itself."""
    query = select(PairRow.buyer_id, PairRow.wanted).where(PairRow.seller_id == seller, PairRow.period == period)
    return dict(tx.execute(query.where(PairRow.buyer_id != seller)).all())


def pairs_of_buyer(tx: Session, buyer: UUID, period: str) -> list[PairRow]:
    """The pairs of a buyer in a period, with whoever sold to it."""
    query = select(PairRow).where(PairRow.buyer_id == buyer, PairRow.period == period).order_by(PairRow.id)
    return list(tx.scalars(query))


def pairs_between(
    tx: Session, sellers: Collection[UUID], buyers: Collection[UUID] | None, first: str, last: str
) -> list[PairRow]:
    """The pairs of sellers with some buyers, or all and themselves, in the periods from one to another."""
    query = select(PairRow).where(PairRow.seller_id.in_(sellers), PairRow.period.between(first, last))
    if buyers is not None:
        query = query.where(PairRow.buyer_id.in_(buyers))
    return list(tx.scalars(query.order_by(PairRow.id)))


def pairs_by_id(tx: Session, ids: Collection[int]) -> list[PairRow]:
    """Pairs by number."""
    return list(tx.scalars(select(PairRow).where(PairRow.id.in_(ids))))
