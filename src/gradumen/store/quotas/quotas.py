"""Queries of quotas."""

from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.store.quotas.tables import QuotaRow


def lock_quota(tx: Session, values: dict[str, Any]) -> None:
    """Write the row of a holder and measure, which rivals write too; ``values`` make it where it is new."""
    tx.execute(insert(QuotaRow).values(values).prefix_with("IGNORE"))
    tx.execute(
        update(QuotaRow)
        .where(QuotaRow.holder_id == values["holder_id"], QuotaRow.measure == values["measure"])
        .values(version=QuotaRow.version + 1)
    )


def quotas_of(tx: Session, organisation: UUID) -> list[QuotaRow]:
    """The quotas of an organisation and its projects."""
    return list(tx.scalars(select(QuotaRow).where(QuotaRow.organisation_id == organisation)))


def given_on(tx: Session, giver: UUID, measure: str) -> tuple[Decimal, int]:
    """What a giver has passed on of a measure in all, and to how many without limit."""
    total, unlimited = tx.execute(
        select(func.sum(QuotaRow.limit_value), func.count() - func.count(QuotaRow.limit_value)).where(
            QuotaRow.giver_id == giver, QuotaRow.measure == measure
        )
    ).one()
    return Decimal(total or 0), int(unlimited)


def release_quotas(tx: Session, organisation: UUID) -> None:
    """Give back all that an organisation and its projects hold."""
    tx.execute(delete(QuotaRow).where(QuotaRow.organisation_id == organisation))
