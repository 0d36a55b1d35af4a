"""Queries of charges on documents: their card and their parts."""

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow
from gradumen.store.organisations.tables import ProjectRow


def card_of(tx: Session, charge: ChargeRow) -> RateCardRow:
    """The card that a charge is priced by."""
    return tx.execute(
        select(RateCardRow)
        .join(RateCardVersionRow, RateCardVersionRow.rate_card_id == RateCardRow.id)
        .where(RateCardVersionRow.id == charge.rate_card_version_id)
    ).scalar_one()


def parts_of(tx: Session, charge: UUID) -> list[tuple[ChargePartRow, str | None]]:
    """A charge's parts with the slugs of their projects."""
    rows = tx.execute(
        select(ChargePartRow, ProjectRow.slug)
        .outerjoin(ProjectRow, ProjectRow.id == ChargePartRow.project_id)
        .where(ChargePartRow.charge_id == charge)
        .order_by(ChargePartRow.position)
    )
    return [(part, slug) for part, slug in rows]
