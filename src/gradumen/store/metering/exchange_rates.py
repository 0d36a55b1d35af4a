"""Exchange rates of sellers: table and queries."""

from collections import defaultdict
from collections.abc import Collection
from datetime import date, datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import BigInteger, ForeignKey, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Amount, Base, Moment, ascii_text


class ExchangeRateRow(Base):
    """From a day on one unit of ``currency`` is worth ``rate`` of ``into`` to an organisation, until its next."""

    __tablename__ = "exchange_rates"
    __table_args__ = (UniqueConstraint("organisation_id", "currency", "into", "starts_on"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    currency: Mapped[str] = mapped_column(ascii_text(3))
    into: Mapped[str] = mapped_column(ascii_text(3))
    starts_on: Mapped[date]
    rate: Mapped[Decimal] = mapped_column(Amount)
    source: Mapped[str] = mapped_column(String(120))
    set_at: Mapped[datetime] = mapped_column(Moment)


def rates_of(tx: Session, organisation: UUID) -> list[ExchangeRateRow]:
    """An organisation's rates, by currencies and day."""
    row = ExchangeRateRow
    query = select(row).where(row.organisation_id == organisation)
    return list(tx.scalars(query.order_by(row.currency, row.into, row.starts_on)))


def rates_by_currencies(tx: Session, organisation: UUID) -> dict[tuple[str, str], list[tuple[date, Decimal]]]:
    """An organisation's rates by the two currencies, each with the day from which it holds."""
    found: dict[tuple[str, str], list[tuple[date, Decimal]]] = defaultdict(list)
    for row in rates_of(tx, organisation):
        found[row.currency, row.into].append((row.starts_on, row.rate))
    return found


def lock_rates(tx: Session, organisation: UUID, pairs: Collection[tuple[str, str]]) -> list[ExchangeRateRow]:
    """Its rates of some pairs of currencies, for a decision."""
    row = ExchangeRateRow
    query = select(row).where(row.organisation_id == organisation, row.currency.in_({each for each, _ in pairs}))
    return [each for each in tx.scalars(query.with_for_update()) if (each.currency, each.into) in pairs]
