"""What rows of cost files say was used, as readings: of each resource, unit and time one, in parts of a day at most.

FOCUS 1.2, ConsumedQuantity and ConsumedUnit: only rows of usage have them, and none of what a commitment left unused.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import NamedTuple

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, allocate, divide_half_up, text, unscaled
from gradumen.core.metering.kinds import PART
from gradumen.core.metering.readings import (
    LONGEST,
    Attributes,
    Reading,
    attribute_text,
    content_of,
    hash_of,
)

MOST_DAYS = 400
"""Days that what was used covers at most."""
DAY = timedelta(days=1)
_FINER = 10 ** (AMOUNT_PLACES - QUANTITY_PLACES)


class Used(NamedTuple):
    """What rows of a set say that was used, added up; ``quantity`` in 10**-12 of the unit, times in UTC."""

    resource: str
    account: str
    source: str
    attributes: Attributes
    unit: str
    start: datetime
    end: datetime
    quantity: int


@dataclass(frozen=True, slots=True)
class Unread:
    """What cannot be a reading, and why."""

    id: str
    why: Invalid


def quantities(account: str, day: date, used: Iterable[Used]) -> Iterator[Reading | Unread]:
    """The readings of a set of rows, of a billing account and UTC day, in a stable order.

    A quantity has six decimal places: the sum of alike rows is rounded half up, once. What covers more than a day is
    divided among the UTC days in proportion to time, so that the parts are the whole; each says of what it is a part.
    The meter that is sent is the one of the list of prices (SkuMeter), else the service.

    >>> span = datetime(2026, 11, 3, tzinfo=UTC), datetime(2026, 11, 4, tzinfo=UTC)
    >>> said = ("vm-1", "acc", "Cumulant", (("service", "Machines"),), "Hours", *span)
    >>> rows = [Used(*said, 18 * 10**12), Used(*said, 6 * 10**12 + 1)]
    >>> [(each.meter, str(each.quantity), each.unit) for each in quantities("bill-1", span[0].date(), rows)]
    [('Machines', '24.000000', 'Hours')]
    """
    sums: dict[tuple[object, ...], int] = defaultdict(int)
    first: dict[tuple[object, ...], Used] = {}
    for each in used:
        key = tuple(each[:-1])
        sums[key] += each.quantity
        first.setdefault(key, each)
    named = sorted((_id(account, day, first[key]), key) for key in sums)
    for identity, key in named:
        each = first[key]
        quantity = divide_half_up(sums[key], _FINER)
        try:
            _check(each, quantity)
        except Invalid as problem:
            yield Unread(identity, problem)
            continue
        yield from _readings(identity, each, quantity)


def _id(account: str, day: date, used: Used) -> str:
    """By what a reading is known again: day, and a hash of all that its rows have in common."""
    said = (used.resource, used.account, used.source, used.unit, used.start.isoformat(), used.end.isoformat())
    return f"{day}/{hash_of(account, *said, attribute_text(used.attributes)).hex()}"


def _check(used: Used, quantity: int) -> None:
    if quantity < 0:
        raise Invalid(
            f"what was used of '{used.resource}' adds up to {text(unscaled(quantity, QUANTITY_PLACES))} {used.unit}, "
            "below 0; its costs count all the same",
            field="ConsumedQuantity",
        )
    if used.end - used.start > MOST_DAYS * DAY:
        raise Invalid(
            f"what was used of '{used.resource}' covers more than {MOST_DAYS} days; its costs count all the same",
            field="ChargePeriodEnd",
        )


def _readings(identity: str, used: Used, quantity: int) -> Iterator[Reading]:
    """What was used as one reading, or as one of each UTC day."""
    spans = [(used.start, used.end)]
    attributes = used.attributes
    if used.end - used.start > LONGEST:
        spans = list(_days(used.start, used.end))
        attributes = tuple(sorted([*attributes, (PART, f"{used.start:%Y-%m-%d} to {used.end:%Y-%m-%d}")]))
    parts = allocate(quantity, [int((end - start).total_seconds()) for start, end in spans])
    for number, ((start, end), part) in enumerate(zip(spans, parts, strict=True)):
        name = identity if len(spans) == 1 else f"{identity}/{number}"
        yield _reading(name, used, unscaled(part, QUANTITY_PLACES), start, end, attributes)


def _days(start: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    while start < end:
        midnight = datetime(start.year, start.month, start.day, tzinfo=UTC) + DAY
        yield start, min(midnight, end)
        start = midnight


def _reading(
    identity: str, used: Used, quantity: Decimal, start: datetime, end: datetime, attributes: Attributes
) -> Reading:
    said = dict(attributes)
    meter = said.get("sku-meter") or said["service"]
    reading = Reading(
        source=used.source,
        id=identity,
        owner=None,
        account=used.account,
        resource=used.resource,
        meter=meter,
        quantity=quantity,
        unit=used.unit,
        start=start,
        end=end,
        attributes=attributes,
        sequence=0,
        content=b"",
    )
    return in_sequence(reading, 0)


def in_sequence(reading: Reading, sequence: int) -> Reading:
    """A reading as it is sent to stand in the place of one of a lower sequence."""
    content = content_of(
        (None, reading.account, reading.resource, reading.meter, reading.unit),
        text(reading.quantity),
        (reading.start.isoformat(), reading.end.isoformat()),
        sequence,
        attribute_text(reading.attributes),
    )
    return reading._replace(sequence=sequence, content=content)


def not_yet(used: Sequence[Used], now: datetime) -> tuple[list[Used], datetime | None]:
    """What of it is over by now, and when the next of the rest is; None where all of it is over."""
    later = [each.end for each in used if each.end > now]
    return [each for each in used if each.end <= now], min(later, default=None)
