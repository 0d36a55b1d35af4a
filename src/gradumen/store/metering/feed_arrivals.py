"""When what came in by feeds; queries."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy import case, func, literal, select, text
from sqlalchemy.orm import Session

from gradumen.store.metering.imported_costs import CostSetRow
from gradumen.store.metering.tables import DeliveryRow


@dataclass(slots=True)
class CameOf:
    """Of a feed the items that came, by how many hours ago; its last delivery, and when the newest it says begins."""

    hours: dict[int, int] = field(default_factory=dict)
    refused: int = 0
    last: datetime | None = None
    newest: datetime | None = None
    day: date | None = None
    """The last day of which its files state costs."""


def came_of(tx: Session, feeds: Collection[int], since: datetime, at: datetime) -> dict[int, CameOf]:
    """What came of feeds since a moment until another, but for what rules made or was taken back; the last of each."""
    found: dict[int, CameOf] = defaultdict(CameOf)
    row = DeliveryRow
    hour = func.floor(func.timestampdiff(text("SECOND"), row.received_at, literal(at)) / 3600)
    stands = row.taken_back_by.is_(None)
    counts = (
        func.sum(case((stands, row.accepted), else_=0)), func.sum(row.refused), func.max(case((stands, row.last_at))),
    )  # fmt: skip
    query = select(row.feed_id, hour, *counts).where(row.feed_id.in_(feeds), row.received_at >= since)
    query = query.where(row.received_at <= at, row.is_read_again.is_(False), row.takes_back.is_(None))
    for feed, ago, accepted, refused, newest in tx.execute(query.group_by(row.feed_id, hour)):
        one = found[feed]
        one.hours[int(ago)] = int(accepted)
        one.refused += int(refused)
        one.newest = max((each for each in (one.newest, newest) if each is not None), default=None)
    sent = (row.feed_id.in_(feeds), row.is_read_again.is_(False), row.takes_back.is_(None))
    last = select(func.max(row.id)).where(*sent).group_by(row.feed_id)
    for each in tx.scalars(select(row).where(row.id.in_(last))):
        found[each.feed_id].last = each.received_at
        found[each.feed_id].newest = found[each.feed_id].newest or each.last_at
    days = select(CostSetRow.feed_id, func.max(CostSetRow.day)).group_by(CostSetRow.feed_id)
    days = days.where(CostSetRow.feed_id.in_(feeds), CostSetRow.is_current.is_(True))
    for feed, day in tx.execute(days.where(CostSetRow.estimated_from.is_(None))):
        found[feed].day = day
    return found
