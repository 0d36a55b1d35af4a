"""What was refused of deliveries: kept for a while with its reasons, so that it can be sent again as it should be."""

import json
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import Reading, Told
from gradumen.core.retentions import REFUSED_ITEMS
from gradumen.store.metering import refused_items as store
from gradumen.store.metering.feeds import delivery_number
from gradumen.store.metering.tables import DeliveryRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.stored_readings import REFUSED, Outcome, Unreadable
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.metering.refused_items import RefusedItemBody

MOST = 10_000
"""Items that are kept of one delivery."""
LONGEST_SENT = 4000
FORGOTTEN = 5000


def keep_refused(
    tx: Session, delivery: DeliveryRow, first: int, items: Sequence[Any], outcomes: Sequence[Outcome], at: datetime
) -> None:
    """Keep what is refused of a delivery, before it counts there, as long as these are not too many.

    Args:
        first: the place of the first of the items.
    """
    refused = [(place, each) for place, each in enumerate(outcomes) if each.status == REFUSED]
    rows = [
        {
            "delivery_id": delivery.id,
            "position": first + place,
            "item": each.id[:191],
            "field": each.field and each.field[:60],
            "reason": (each.reason or "")[:1000],
            "sent": _sent(items[place]),
            "refused_at": at,
        }
        for place, each in refused[: max(0, MOST - delivery.refused)]
    ]
    if rows:
        store.keep_refused(tx, rows)


def _sent(item: object) -> str | None:
    """What was sent, as JSON; of a list of all that is there only what it is."""
    if isinstance(item, Reading):
        told = {name: value for name, value in item._asdict().items() if value is not None and name != "content"}
        return written({**told, "attributes": dict(item.attributes)})
    if isinstance(item, Listing):
        return written({"source": item.source, "id": item.id, "meter": item.meter, "at": item.at})
    if isinstance(item, Told):
        return written({"source": item.source, "id": item.id, "until": item.until})
    return item.sent if isinstance(item, Unreadable) else None


def written(sent: object) -> str:
    """Something that was sent as JSON, cut off where it is long.

    >>> written({"quantity": Decimal("2.50"), "start": date(2026, 9, 1)})
    '{"quantity": "2.5", "start": "2026-09-01"}'
    """
    try:
        return json.dumps(sent, default=_plain, ensure_ascii=False)[:LONGEST_SENT]
    except RecursionError:
        return "what is in it lies too deep to be written"


def _plain(value: Any) -> str:
    if isinstance(value, Decimal):
        return text(value)
    return value.isoformat() if isinstance(value, date) else str(value)


@use_case
def list_refused_items(
    tx: Session, caller: Caller, *, feed: str, delivery: UUID | None, after: str | None, limit: int
) -> list[RefusedItemBody]:
    """What was refused of a feed, newest delivery first, each in its order; a sender sees its own.

    Args:
        after: ``delivery|position`` of the last one seen.

    Raises:
        NotFound: no such feed in scope.
        Invalid: there is no such delivery of it.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    found = store.refused_items(
        tx,
        row.id,
        sent_by=None if scope.is_member(owner.id) else caller.user_id,
        delivery=None if delivery is None else _number(tx, row.id, str(delivery), "delivery"),
        after=_place(tx, row.id, after),
        limit=limit,
    )
    return [
        RefusedItemBody(
            delivery=of.public_id,
            received_at=of.received_at,
            file=of.file_name,
            position=item.position,
            id=item.item,
            field=item.field,
            reason=item.reason,
            sent=item.sent,
        )
        for item, of in found
    ]


def _number(tx: Session, feed: int, written: str, field: str) -> int:
    try:
        number = delivery_number(tx, feed, UUID(written))
    except ValueError:
        number = None
    if number is None:
        raise Invalid(f"{field} '{written[:80]}' is no delivery of this feed", field=field, value=written)
    return number


def _place(tx: Session, feed: int, after: str | None) -> tuple[int, int] | None:
    if after is None:
        return None
    delivery, _, position = after.partition("|")
    if not position.isascii() or not position.isdigit() or len(position) > 9:
        raise Invalid(f"after '{after[:80]}' is no place in this list", field="after", value=after)
    return _number(tx, feed, delivery, "after"), int(position)


def forget_refused(uow: UnitOfWork, *, at: datetime) -> None:
    """Forget what was refused long ago."""
    while _forget(uow, before=at - REFUSED_ITEMS) == FORGOTTEN:
        pass


@use_case
def _forget(tx: Session, *, before: datetime) -> int:
    return store.forget_refused(tx, before, FORGOTTEN)
