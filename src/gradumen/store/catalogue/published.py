"""Queries of what is published: services, plans, offers and their versions, and until when tiers are sold."""

from collections.abc import Collection
from datetime import date
from typing import Any
from uuid import UUID

from sqlalchemy import bindparam, select
from sqlalchemy.dialects.mysql import insert as upsert
from sqlalchemy.orm import Session

from gradumen.store.catalogue.tables import (
    MeterRow,
    OfferRow,
    OfferVersionRow,
    PlanRow,
    PlanVersionRow,
    ServiceRow,
    ServiceVersionRow,
    TierSaleRow,
)


def service_versions(
    tx: Session, *, owners: Collection[UUID] | None = None, slugs: Collection[str] = ()
) -> list[tuple[ServiceRow, ServiceVersionRow]]:
    """All services with their versions, oldest first; or by slug those of some owners and those of some slugs."""
    query = select(ServiceRow, ServiceVersionRow).join(ServiceVersionRow)
    if owners is None:
        query = query.order_by(ServiceVersionRow.number)
    else:
        query = query.where(ServiceRow.organisation_id.in_(owners) | ServiceRow.slug.in_(slugs))
        query = query.order_by(ServiceRow.slug, ServiceVersionRow.number)
    return [(row, version) for row, version in tx.execute(query)]


def meters(tx: Session) -> dict[str, int]:
    """Numbers of meters by slug."""
    return {row.slug: row.id for row in tx.scalars(select(MeterRow))}


def plan_versions(tx: Session, slugs: Collection[str] | None = None) -> list[tuple[PlanRow, PlanVersionRow]]:
    """Plans with their versions, oldest first; all, or those of some slugs."""
    query = select(PlanRow, PlanVersionRow).join(PlanVersionRow).order_by(PlanVersionRow.number)
    rows = tx.execute(query if slugs is None else query.where(PlanRow.slug.in_(slugs)))
    return [(row, version) for row, version in rows]


def find_service(tx: Session, slug: str) -> ServiceRow | None:
    """The service of a slug."""
    return tx.scalars(select(ServiceRow).where(ServiceRow.slug == slug)).first()


def find_plan(tx: Session, slug: str, *, lock: bool = False) -> PlanRow | None:
    """The plan of a slug."""
    query = select(PlanRow).where(PlanRow.slug == slug)
    return tx.scalars(query.with_for_update() if lock else query).first()


def plan_id(tx: Session, slug: str) -> UUID:
    """The id of a plan that is published."""
    return tx.scalars(select(PlanRow.id).where(PlanRow.slug == slug)).one()


def documents_of(tx: Session, plan: UUID) -> list[dict[str, Any]]:
    """All versions of a plan, as they are written."""
    return list(tx.scalars(select(PlanVersionRow.document).where(PlanVersionRow.plan_id == plan)))


def find_offer(tx: Session, seller: UUID, plan: str) -> OfferRow | None:
    """A seller's offer of a plan."""
    query = select(OfferRow).join(PlanRow).where(OfferRow.organisation_id == seller, PlanRow.slug == plan)
    return tx.scalars(query).first()


def offers_of(tx: Session, sellers: Collection[UUID]) -> list[tuple[OfferRow, OfferVersionRow, str]]:
    """The offers of sellers with all their versions, oldest first, and the slugs of their plans."""
    rows = tx.execute(
        select(OfferRow, OfferVersionRow, PlanRow.slug)
        .join(OfferVersionRow, OfferVersionRow.offer_id == OfferRow.id)
        .join(PlanRow, PlanRow.id == OfferRow.plan_id)
        .where(OfferRow.organisation_id.in_(sellers))
        .order_by(OfferVersionRow.number)
    )
    return [(row, version, slug) for row, version, slug in rows]


def offer_versions(tx: Session, offer: UUID) -> list[OfferVersionRow]:
    """An offer's versions, oldest first."""
    query = select(OfferVersionRow).where(OfferVersionRow.offer_id == offer).order_by(OfferVersionRow.number)
    return list(tx.scalars(query))


def store_tier_sale(tx: Session, plan: UUID, tier: str, values: dict[str, date | None]) -> None:
    """Until when a tier is sold and used, in place of what was said before."""
    statement = upsert(TierSaleRow).values(plan_id=plan, tier=tier, **values)
    tx.execute(statement.on_duplicate_key_update(**values))


def tier_sales_of(tx: Session, plans: Collection[UUID]) -> list[TierSaleRow]:
    """What is known of the sale of plans' tiers, by tier."""
    return list(tx.scalars(select(TierSaleRow).where(TierSaleRow.plan_id.in_(plans)).order_by(TierSaleRow.tier)))


_PLAN_VERSIONS = select(PlanVersionRow).where(PlanVersionRow.id.in_(bindparam("ids", expanding=True)))


def plan_versions_by_id(tx: Session, ids: Collection[UUID]) -> list[PlanVersionRow]:
    """Versions of plans by id."""
    return list(tx.scalars(_PLAN_VERSIONS, {"ids": [*ids]}))
