"""What stands against a limit beside what its giver has: figures that cannot be, sites, and what tiers promise."""

from datetime import date
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import Invalid, QuotaBelowGranted, QuotaBelowSubscribed
from gradumen.core.exact import add, figure, text
from gradumen.core.quotas.measures import Measure, amount_words
from gradumen.core.quotas.quotas import MOST_GRACE, Holding
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.site_quotas import held_at
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.quotas.tier_quotas import promised_by_tiers
from gradumen.wire.quotas.quotas import SoftLimit


def set_soft(row: QuotaRow, measure: Measure, soft: SoftLimit | None) -> None:
    """Set a soft limit beside the limit, or leave it as it is.

    Raises:
        Invalid: of what is counted, negative, above the limit, or of too many days.
    """
    if soft is not None:
        if soft.limit is not None and not measure.metered:
            raise Invalid(f"{row.measure} never exceed their limit; a soft limit is for what is metered", field="soft")
        if not 0 <= soft.grace_days <= MOST_GRACE:
            raise Invalid(
                f"grace lies between 0 and {MOST_GRACE} days; got {soft.grace_days}",
                field="grace_days",
                value=soft.grace_days,
            )
        row.soft_limit, row.grace_days = soft.limit, None if soft.limit is None else soft.grace_days
    if row.soft_limit is None:
        return
    if row.soft_limit < 0:
        raise Invalid(f"the soft limit {text(row.soft_limit)} is negative", field="soft", value=row.soft_limit)
    if row.limit_value is not None and row.soft_limit > row.limit_value:
        raise Invalid(
            f"the soft limit of {text(row.soft_limit)} is above the limit of {text(row.limit_value)}; lower it too",
            field="soft",
            value=row.soft_limit,
        )


def check_sites_inside(tx: Session, taker: Holding, key: tuple[UUID, Measure], limit: Decimal) -> None:
    """Check that a limit is not below what the holder has at a single site.

    Raises:
        QuotaBelowGranted: it is.
    """
    there = [row.limit_value for (_, of, _), row in held_at(tx, [key[0]]).items() if of == key[1]]
    if there and max(there) > limit:
        raise QuotaBelowGranted(
            f"{taker.name} has {amount_words(key[1], max(there))} at one site, so {figure(limit)} in all are too few; "
            "take that back first",
            measure=key[1],
            asked=text(limit),
            granted=text(max(there)),
            excess=text(max(there) - limit),
            holder=taker.holder,
        )


def check_subscribed(tx: Session, holder: OrganisationRow, measure: Measure, limit: Decimal, today: date) -> None:
    promised = promised_by_tiers(tx, holder.id, today, load_published(tx))
    total = add([amount for (_, of), amount in promised.items() if of == measure])
    if limit < total:
        raise QuotaBelowSubscribed(
            f"the tiers of {holder.name}'s subscriptions promise {amount_words(measure, total)}, so "
            f"{figure(limit)} are too few; change a tier or end a subscription first",
            measure=measure,
            asked=text(limit),
            promised=text(total),
            holder=holder.slug,
        )


def check_figures(limit: Decimal | None, reservation: Decimal | None, factor: Decimal | None) -> None:
    for field, value in (("limit", limit), ("reservation", reservation)):
        if value is not None and value < 0:
            raise Invalid(f"{field} {value} is negative; give 0 or more", field=field, value=value)
    if factor is not None and not 1 <= factor <= 100:
        raise Invalid(f"the overbooking factor lies between 1 and 100; got {factor}", field="factor", value=factor)
