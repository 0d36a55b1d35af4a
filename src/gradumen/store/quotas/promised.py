"""Queries of what quotas promise, as it is charged."""

from collections.abc import Collection, Sequence
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import String, cast, select
from sqlalchemy.orm import Session

from gradumen.core.catalogue.rates import PROMISED
from gradumen.core.periods import months_since
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow
from gradumen.store.organisations.sites import SiteRow
from gradumen.store.pairs import links_above, raise_links
from gradumen.store.quotas.tables import QuotaChangeRow

DAY = timedelta(days=1)


def raise_promised(tx: Session, organisation: UUID, measure: str, at: datetime) -> None:
    """What an organisation is promised changes from a moment on: it is charged anew on each link that charges it."""
    links = links_above(tx, organisation)
    charging = _sellers_charging(tx, {seller for seller, _ in links}, measure)
    # The local day of some seller may be the one before or after.
    months = months_since((at - DAY).date(), (at + DAY).date())
    raise_links(tx, [link for link in links if link[0] in charging and link[0] != link[1]], months)


def _sellers_charging(tx: Session, sellers: Collection[UUID], measure: str) -> set[UUID]:
    """Those of some sellers who have a rate card that ever priced what quotas of a measure promise."""
    if not sellers:
        return set()
    card, version = RateCardRow, RateCardVersionRow
    named = cast(version.document, String).contains(f'"{PROMISED}{measure}"', autoescape=True)
    query = select(card.organisation_id).join(version, version.rate_card_id == card.id).where(named)
    return set(tx.scalars(query.where(card.organisation_id.in_(sellers)).distinct()))


def promises_before(
    tx: Session, organisations: Collection[UUID], measure: str, before: datetime
) -> Sequence[tuple[QuotaChangeRow, SiteRow | None]]:
    """What organisations and their projects might have of a measure when, with the site if at one; pools left out.

    A limit of a pool lies inside the one at its site.
    """
    change = QuotaChangeRow
    query = select(change, SiteRow).outerjoin(SiteRow, SiteRow.id == change.site_id)
    query = query.where(
        change.organisation_id.in_(organisations),
        change.measure == measure,
        change.pool_id.is_(None),
        change.changed_at < before,
    )
    return [(row, site) for row, site in tx.execute(query.order_by(change.changed_at, change.id))]
