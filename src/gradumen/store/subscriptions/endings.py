"""Queries of what is about to end."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, date, datetime, time
from uuid import UUID

from sqlalchemy import and_, exists, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, aliased

from gradumen.core.subscriptions.endings import Ending
from gradumen.store.organisations.organisations import FEW
from gradumen.store.organisations.tables import StateRow
from gradumen.store.subscriptions.tables import EndingToldRow, SubscriptionRow, SupplyLineRow


@dataclass(frozen=True, slots=True)
class Coming:
    """Something that ends: of which organisation, on the first day without it, standing since a day."""

    kind: Ending
    subject: UUID
    organisation: UUID
    day: date
    since: date
    state: str | None = None


def endings(tx: Session, first: date, last: date, owners: Collection[UUID] | None = None) -> list[Coming]:
    """What ends on a day from one to another, of some organisations or of all; the earliest first."""
    if owners is not None and len(owners) > FEW:
        among = set(owners)
        return [each for each in endings(tx, first, last) if each.organisation in among]
    found = [*_subscriptions(tx, first, last, owners), *_trials(tx, first, last, owners)]
    # A trial that ends its subscription is told once, as what it is.
    ends = {(each.subject, each.day) for each in found if each.kind is Ending.TRIAL}
    found = [each for each in found if each.kind is Ending.TRIAL or (each.subject, each.day) not in ends]
    return sorted([*found, *_states(tx, first, last, owners)], key=lambda each: (each.day, str(each.subject)))


def _subscriptions(tx: Session, first: date, last: date, owners: Collection[UUID] | None) -> list[Coming]:
    row = SubscriptionRow
    query = select(row).where(row.ends_on.between(first, last), row.ends_on > row.starts_on)
    query = query if owners is None else query.where(row.organisation_id.in_(owners))
    return [
        Coming(Ending.SUBSCRIPTION, each.id, each.organisation_id, each.ends_on, each.starts_on)
        for each in tx.scalars(query)
        if each.ends_on is not None
    ]


def _trials(tx: Session, first: date, last: date, owners: Collection[UUID] | None) -> list[Coming]:
    """Trials on subscribers' own links that another line follows, or that the end of the subscription ends."""
    row, trial, later = SubscriptionRow, SupplyLineRow, aliased(SupplyLineRow)
    follows = and_(later.subscription_id == row.id, later.depth == 0, ~later.void)
    between = aliased(SupplyLineRow)
    nearer = exists().where(
        between.subscription_id == row.id,
        between.depth == 0,
        ~between.void,
        between.starts_on > trial.starts_on,
        between.starts_on < later.starts_on,
    )
    query = (
        select(row.id, row.organisation_id, later.starts_on, trial.starts_on)
        .join(trial, and_(trial.subscription_id == row.id, trial.depth == 0, trial.trial, ~trial.void))
        .join(
            later, and_(follows, later.starts_on.between(first, last), ~later.trial, later.starts_on > trial.starts_on)
        )
        .where(~nearer)
    )
    last_line = ~exists().where(
        between.subscription_id == row.id, between.depth == 0, ~between.void, between.starts_on > trial.starts_on
    )
    ending = (
        select(row.id, row.organisation_id, row.ends_on, trial.starts_on)
        .join(trial, and_(trial.subscription_id == row.id, trial.depth == 0, trial.trial, ~trial.void))
        .where(row.ends_on.between(first, last), row.ends_on > trial.starts_on, last_line)
    )
    found = []
    for each in (query, ending):
        wanted = each if owners is None else each.where(row.organisation_id.in_(owners))
        for id, owner, day, since in tx.execute(wanted):
            if day is not None:
                found.append(Coming(Ending.TRIAL, id, owner, day, since))
    return found


def _states(tx: Session, first: date, last: date, owners: Collection[UUID] | None) -> list[Coming]:
    """Planned states but that of a beginning."""
    row = StateRow
    start, end = (datetime.combine(day, edge, UTC) for day, edge in ((first, time.min), (last, time.max)))
    query = select(row).where(row.starts_at.between(start, end), row.state.in_(["suspended", "closing"]))
    query = query if owners is None else query.where(row.organisation_id.in_(owners))
    return [
        Coming(
            Ending.STATE,
            each.organisation_id,
            each.organisation_id,
            each.starts_at.date(),
            each.set_at.date(),
            each.state,
        )
        for each in tx.scalars(query)
    ]


def told_of(tx: Session, subjects: Collection[UUID]) -> set[tuple[UUID, str, date, int]]:
    """What was told of some subjects: which, of what kind, for which day, how many days before."""
    row = EndingToldRow
    query = select(row.subject_id, row.kind, row.day, row.days_before).where(row.subject_id.in_(subjects))
    return {(subject, kind, day, days) for subject, kind, day, days in tx.execute(query)}


def note_told(tx: Session, coming: Coming, days_before: int, at: datetime) -> bool:
    """Note that somebody is told; False where it was noted before."""
    values = {
        "subject_id": coming.subject,
        "kind": coming.kind,
        "day": coming.day,
        "days_before": days_before,
        "told_at": at,
    }
    found = tx.execute(insert(EndingToldRow).values(values).prefix_with("IGNORE"))
    return bool(found.rowcount)  # type: ignore[attr-defined]  # an INSERT gives a cursor result, of the rows it made
