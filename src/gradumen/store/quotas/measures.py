"""Measures that the provider defines: tables and queries."""

from datetime import datetime

from sqlalchemy import Integer, String, or_, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.quotas.measures import Counted, Kind, Measure, Measures
from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.quotas.pools import PoolRow
from gradumen.store.quotas.site_quotas import SiteQuotaRow
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.revisions import kept, revise

MEASURES = "measures"
"""The kind of these among revisions."""


class MeasureRow(Base):
    """A measure that the provider defined; what it is of never changes.

    ``base`` is what meters count, or what the service does where it is a count.
    """

    __tablename__ = "measures"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    slug: Mapped[str] = mapped_column(ascii_text(32), unique=True)
    unit: Mapped[str] = mapped_column(String(30))
    kind: Mapped[str] = mapped_column(ascii_text(16))
    base: Mapped[str] = mapped_column(String(30))
    defined_at: Mapped[datetime] = mapped_column(Moment)
    retired_at: Mapped[datetime | None] = mapped_column(Moment)


def load_measures(tx: Session) -> Measures:
    """All measures."""

    def read() -> Measures:
        rows = list(tx.scalars(select(MeasureRow).order_by(MeasureRow.id)))
        made = [(row, _measure(row)) for row in rows]
        return Measures(
            [measure for row, measure in made if row.retired_at is None],
            [measure for row, measure in made if row.retired_at is not None],
        )

    return kept(tx, MEASURES, read)


def _measure(row: MeasureRow) -> Measure:
    if row.kind == Kind.COUNT:
        return Measure(row.slug, row.unit, Kind.COUNT, counts=Counted(row.base))
    return Measure(row.slug, row.unit, Kind(row.kind), row.base)


def find_measure(tx: Session, slug: str) -> MeasureRow | None:
    """A measure that was defined, for a decision; rivals wait for the token of them all."""
    revise(tx, MEASURES)
    return tx.scalars(select(MeasureRow).where(MeasureRow.slug == slug)).first()


def is_limited(tx: Session, slug: str) -> bool:
    """Whether anybody has a limit of a measure, or there is a pool of it."""
    queries = (
        select(QuotaRow.holder_id).where(
            QuotaRow.measure == slug, or_(QuotaRow.limit_value.is_not(None), QuotaRow.soft_limit.is_not(None))
        ),
        select(SiteQuotaRow.holder_id).where(SiteQuotaRow.measure == slug),
        select(PoolRow.id).where(PoolRow.measure == slug, PoolRow.retired_at.is_(None)),
    )
    return any(tx.scalars(query.limit(1)).first() is not None for query in queries)
