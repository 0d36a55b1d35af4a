"""Costs that are estimated until a file states them: a day costs what the last one cost that is known whole."""

from datetime import date, datetime, timedelta

from gradumen.store.metering import cost_estimates as store
from gradumen.store.metering.deliveries import lock_feed
from gradumen.store.metering.imported_costs import CostSetRow, standing_sets
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering.cost_sets import take_back_costs
from gradumen.usecases.metering.readings import new_delivery
from gradumen.usecases.scope import business_now, scope_of_nobody

MOST_DAYS = 31
"""Days after the last one that is known of which costs are estimated; what is silent for longer is asked about."""
GONE_AFTER = timedelta(days=3)
"""An account of which nothing is said any more while others go on for longer is gone: nothing of it is estimated."""
DAY = timedelta(days=1)


def estimate_costs(uow: UnitOfWork, *, at: datetime) -> int:
    """Estimate what is missing of the feeds that ask for it; gives of how many days of accounts."""
    return sum(
        estimate_account(uow, feed=feed, account=account, at=at)
        for feed in feeds_estimated(uow)
        for account in accounts_to_estimate(uow, feed=feed, at=at)
    )


@use_case
def feeds_estimated(tx: Session) -> list[int]:
    """The feeds whose costs are estimated, by number."""
    return store.feeds_estimated(tx)


@use_case
def accounts_to_estimate(tx: Session, *, feed: int, at: datetime) -> list[str]:
    """The billing accounts of a feed that days may lack of.

    What was estimated as a set that fell, or of an account that is gone, is taken out.
    """
    row = lock_feed(tx, feed)
    if not row.estimates_costs:
        return []
    stated = store.last_days(tx, feed, business_now(tx, at).date() - MOST_DAYS * DAY)
    there_from = max(stated.values(), default=date.min + GONE_AFTER) - GONE_AFTER
    take_out(tx, row, store.brought_estimates(tx, feed, before=there_from), at)
    return [account for account, day in stated.items() if day >= there_from]


@use_case
def estimate_account(tx: Session, *, feed: int, account: str, at: datetime) -> int:
    """Estimate the days of a billing account that are over and that nothing states; gives how many. Safe to repeat."""
    row = lock_feed(tx, feed)
    today = business_now(tx, at).date()
    base = store.last_whole(tx, feed, account, today - MOST_DAYS * DAY)
    if not row.estimates_costs or base is None:
        return 0
    rows, weight = store.used_in(tx, base.id)
    there = standing_sets(tx, feed, account, base.day + DAY, today - DAY)
    lacking = (base.day + DAY * number for number in range(1, (today - base.day).days))
    missing = [day for day in lacking if day not in there] if rows else []
    if missing:
        delivery = new_delivery(tx, scope_of_nobody(tx, at).caller, row, is_read_again=True)
        delivery.accepted = rows * len(missing)
        for day in missing:
            made = CostSetRow(
                feed_id=feed, account=account, day=day, revision=store.REVISION, delivery_id=delivery.id,
                is_current=True, stale_since=at, rows=rows, weight=weight, export_id=None, unread_since=None,
                ready_at=None, was_read=False, estimated_from=base.id,
            )  # fmt: skip
            tx.add(made)
            tx.flush()
            store.copy_used(tx, base, made)
    return len(missing)


def take_out(tx: Session, feed: FeedRow, brought: list[DeliveryRow], at: datetime) -> None:
    """Let estimates stand no more, of a feed that is locked."""
    for each in brought:
        taking = new_delivery(tx, scope_of_nobody(tx, at).caller, feed, is_read_again=True, takes_back=each.id)
        each.taken_back_by = taking.id
        take_back_costs(tx, each, at)
    tx.flush()


def stop_estimating(tx: Session, feed: FeedRow, at: datetime) -> None:
    """Take all estimates of a feed out that is locked."""
    take_out(tx, feed, store.brought_estimates(tx, feed.id), at)
