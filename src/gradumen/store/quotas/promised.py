"""Queries of what quotas promise, as it is charged."""

from collections.abc import Collection, Sequence
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow
from gradumen.store.organisations.sites import SiteRow
from gradumen.store.pairs import links_above, raise_links_since
from gradumen.store.quotas.tables import QuotaChangeRow

DAY = timedelta(days=1)


def raise_promised(tx: Session, organisation: UUID, at: datetime) -> None:
    """What an organisation is promised changes from a moment on: it is charged anew on each link that charges it."""
    charging = set(tx.scalars(_CHARGING))
    if not charging:
        return
    above = links_above(tx, [organisation])[organisation]
    # The local day of some seller may be the one before or after.
    since = {link: (at - DAY).date() for link in above if link[0] in charging and link[0] != link[1]}
    raise_links_since(tx, since, (at + DAY).date())


def raise_divided(tx: Session, organisation: UUID) -> None:
    """What an organisation is promised is divided otherwise over its projects, ever since any of them had a limit."""
    row = QuotaChangeRow
    query = select(func.min(row.changed_at)).where(row.organisation_id == organisation, row.project_id.is_not(None))
    since = tx.scalar(query)
    if since is not None:
        raise_promised(tx, organisation, since)


_CHARGING = (
    select(RateCardRow.organisation_id)
    .join(RateCardVersionRow, RateCardVersionRow.rate_card_id == RateCardRow.id)
    .where(RateCardVersionRow.prices_promised)
    .distinct()
)
"""The sellers who have a rate card that ever priced what quotas promise."""


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
