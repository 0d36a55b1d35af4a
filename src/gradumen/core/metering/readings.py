"""One measured fact, as it comes in from a feed."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, number, scaled, text, unscaled
from gradumen.core.units import convertible

LONGEST = timedelta(hours=24)
"""A reading covers at most this much; longer facts are sent in parts."""
MOST_ATTRIBUTES = 64
MOST = 10**27
"""In millionths of the base unit: so much that an hour's sum of a million readings of a day's level still fits."""
_MOST_CHARACTERS = 191
Attributes = tuple[tuple[str, str], ...]
"""Names and values, in the order of the names."""


class Reading(NamedTuple):
    """A reading as its sender wrote it, checked as far as it can be without the catalogue.

    ``end`` is ``start`` where it says what holds from then on. ``owner`` is ``organisation/project``; ``sequence`` says
    which of several with one id counts: the highest;
    ``content`` stands for everything but feed, source and id (`content_of`).
    """

    source: str
    id: str
    owner: str | None
    account: str | None
    resource: str
    meter: str
    quantity: Decimal
    unit: str
    start: datetime
    end: datetime
    attributes: Attributes
    sequence: int
    content: bytes


def reading_key(feed: str, source: str, identity: str) -> bytes:
    """16 bytes of SHA-256 that stand for feed, source and id in the index of known readings."""
    return hash_of(feed, source, identity)


def hash_of(*texts: str) -> bytes:
    """16 bytes of SHA-256 of texts with a unit separator between them; none of them has one in it."""
    return hashlib.sha256("\x1f".join(texts).encode()).digest()[:16]


def content_of(
    named: Sequence[str | None], quantity: str, times: Sequence[str], sequence: int, attributes: str
) -> bytes:
    """16 bytes of SHA-256 over what a reading says.

    Args:
        named: owner, account, resource and meter, then the unit.
        quantity: as `gradumen.core.exact.text` writes it.
        times: start and end, ISO 8601 in UTC.
        attributes: as `attribute_text` writes them.
    """
    owner, account, resource, meter, unit = named
    return hash_of(
        owner or "", account or "", resource or "", meter or "", quantity, unit or "", *times, f"{sequence}{attributes}"
    )


def attribute_text(attributes: Attributes) -> str:
    """Attributes in one text, each after a unit separator."""
    return "".join(f"\x1f{name}={value}" for name, value in attributes)


@dataclass(frozen=True, slots=True)
class Told:
    """That a source has sent all that it has to say up to a moment."""

    source: str
    id: str
    until: datetime


_FIELDS = frozenset(
    {"owner", "account", "resource", "meter", "quantity", "unit", "start", "end", "attributes", "sequence"}
)


def read_reading(source: object, identity: object, data: object) -> Reading:
    """Check one item as it was sent (`docs/formats.md`, readings).

    Raises:
        Invalid: names the field, the value, the limit and what to do.
    """
    if not isinstance(data, Mapping):
        raise Invalid("data must be an object with meter, quantity, start and end", field="data")
    unknown = set(data) - _FIELDS
    if unknown:
        names = ", ".join(sorted(map(str, unknown)))[:100]
        raise Invalid(f"data has unknown fields {names}; remove them", field="data")
    start = read_moment(data.get("start"), "start")
    end = read_moment(data["end"], "end") if "end" in data else start
    if "end" in data:
        check_length(start, end)
    quantity = read_quantity(data.get("quantity"))
    attributes = read_attributes(data.get("attributes"))
    sequence = read_sequence(data.get("sequence", 0))
    source, identity = read_text(source, "source"), read_text(identity, "id")
    owner = None if data.get("owner") is None else read_text(data["owner"], "owner")
    account = None if data.get("account") is None else read_text(data["account"], "account")
    resource, meter = read_text(data.get("resource"), "resource"), read_text(data.get("meter"), "meter")
    unit = read_text(data.get("unit"), "unit")
    content = content_of(
        (owner, account, resource, meter, unit),
        text(quantity),
        (start.isoformat(), end.isoformat()),
        sequence,
        attribute_text(attributes),
    )
    return Reading(
        source, identity, owner, account, resource, meter, quantity, unit, start, end, attributes, sequence, content
    )


def check_length(start: datetime, end: datetime) -> None:
    """A reading covers some time, and at most `LONGEST`.

    Raises:
        Invalid: it does not.
    """
    if end <= start:
        raise Invalid(f"end {end.isoformat()} must be after start {start.isoformat()}", field="end", value=end)
    if end - start > LONGEST:
        raise Invalid(f"a reading covers at most 24 hours; {start} to {end} is longer, send it in parts", field="end")


def read_quantity(raw: object) -> Decimal:
    """A quantity in the unit that it was sent in.

    Raises:
        Invalid: it is no number, too fine, too large, or negative.
    """
    quantity = number(raw, field="quantity", places=QUANTITY_PLACES)
    if quantity < 0:
        raise Invalid(
            f"quantity {text(quantity)} is negative; correct an earlier reading by sending its id again with a "
            "higher sequence",
            field="quantity",
            value=quantity,
        )
    return quantity


def read_attributes(raw: object) -> Attributes:
    """Attributes in the order of their names.

    Raises:
        Invalid: they are no object of texts, or too many.
    """
    attributes = raw or {}
    if not isinstance(attributes, Mapping) or len(attributes) > MOST_ATTRIBUTES:
        raise Invalid(f"attributes must be an object of at most {MOST_ATTRIBUTES} texts", field="attributes")
    pairs = (
        (read_text(name, "attributes"), read_text(value, f"attributes.{name}")) for name, value in attributes.items()
    )
    return tuple(sorted(pairs))


def read_sequence(raw: object) -> int:
    """Which of several readings of one id counts.

    Raises:
        Invalid: it is no whole number of 31 bits.
    """
    if isinstance(raw, bool) or not isinstance(raw, int) or not 0 <= raw < 2**31:
        raise Invalid("sequence must be a whole number from 0 to 2147483647", field="sequence", value=raw)
    return raw


def base_quantity(reading: Reading, meter: Meter) -> Decimal:
    """The reading's quantity in the meter's base unit.

    Raises:
        Invalid: the unit is not known, measures something else, or the quantity is too fine or too large.
    """
    unit = convertible(reading.unit, meter.reading_unit, counted=meter.counted)
    return in_base_units(reading.quantity, unit.factor, reading.unit)


def in_base_units(quantity: Decimal, factor: Fraction, unit: str) -> Decimal:
    """A quantity as it was sent, in base units.

    Args:
        factor: how many base units one is.
        unit: in which it was sent.

    Raises:
        Invalid: it is finer than a millionth of them, or too large.

    >>> in_base_units(Decimal("1.5"), Fraction(3600), "hour")
    Decimal('5400.000000')
    """
    whole, lost = divmod(scaled(quantity, QUANTITY_PLACES) * factor.numerator, factor.denominator)
    if lost:
        raise Invalid(
            f"quantity {text(quantity)} {unit} is finer than a millionth of the meter's base unit",
            field="quantity",
            value=quantity,
        )
    if whole >= MOST:
        raise Invalid(
            f"quantity {text(quantity)} {unit} is too large; in the meter's base unit a reading is below "
            f"{text(unscaled(MOST, QUANTITY_PLACES))}",
            field="quantity",
            value=quantity,
        )
    return unscaled(whole, QUANTITY_PLACES)


def check_end(reading: Reading, meter: Meter) -> None:
    """Check that a reading has an end where its meter counts what it covers, and none where it counts what holds.

    Raises:
        Invalid: it is the other way round.
    """
    if (reading.end == reading.start) is not (meter.combine is Combine.HELD):
        held = f"meter '{meter.slug}' counts what holds until the next reading; leave end out"
        spans = f"end is missing; a reading of meter '{meter.slug}' covers the time from start to end"
        message = held if meter.combine is Combine.HELD else spans
        raise Invalid(message, field="end", value=reading.end)


def check_now(reading: Reading, now: datetime) -> None:
    """Check a reading against the business clock.

    Raises:
        Invalid: it ends in the future.
    """
    if reading.end > now:
        raise Invalid(
            f"end {reading.end.isoformat()} is in the future; it is {now.isoformat(timespec='seconds')} here",
            field="end",
            value=reading.end,
        )


def check_attributes(attributes: Attributes, allowed: Mapping[str, tuple[str, ...]]) -> None:
    """Check attributes against those of a service.

    Raises:
        Invalid: it does not know one, or not with this value.
    """
    for key, value in attributes:
        if key not in allowed:
            raise Invalid(
                f"attribute '{key}' is not one of the service's: {', '.join(allowed) or 'it has none'}",
                field=f"attributes.{key}",
                value=value,
            )
        if allowed[key] and value not in allowed[key]:
            raise Invalid(
                f"attribute {key} '{value}' is not one of {', '.join(allowed[key])}",
                field=f"attributes.{key}",
                value=value,
            )


def check_told(told: Told, now: datetime) -> None:
    """Check that something was told against the business clock.

    Raises:
        Invalid: it says so of the future.
    """
    if told.until > now:
        raise Invalid(
            f"until {told.until.isoformat()} is in the future; it is {now.isoformat(timespec='seconds')} here",
            field="until",
            value=told.until,
        )


def full_hours(told: Iterable[tuple[str, datetime]]) -> dict[str, datetime]:
    """The full hour up to which each source has told all.

    >>> noon = datetime(2026, 10, 1, 12, tzinfo=UTC)
    >>> full_hours([("a", noon), ("a", noon + timedelta(minutes=59))])["a"] == noon
    True
    """
    found: dict[str, datetime] = {}
    for source, at in told:
        hour = at.replace(minute=0, second=0)
        found[source] = max(found.get(source, hour), hour)
    return found


def read_text(raw: object, field: str) -> str:
    """A name or other text.

    Raises:
        Invalid: it is none, empty, too long, or has characters that cannot be printed.
    """
    if not isinstance(raw, str) or not 0 < len(raw) <= _MOST_CHARACTERS or not raw.isprintable():
        raise Invalid(f"{field} must be a text of 1 to {_MOST_CHARACTERS} printable characters", field=field, value=raw)
    return raw


def read_moment(raw: object, field: str) -> datetime:
    """A time in UTC, to the second.

    Raises:
        Invalid: it is none, has no zone, is out of range, or has a fraction of a second.
    """
    try:
        moment = datetime.fromisoformat(raw) if isinstance(raw, str) else None
    except ValueError:
        moment = None
    if moment is None or moment.tzinfo is None:
        raise Invalid(f"{field} must be a time with zone, like 2026-10-01T00:00:00Z", field=field, value=raw)
    if not 2000 <= moment.year <= 2200:
        raise Invalid(f"{field} {raw} is out of range; readings lie in 2000 to 2200", field=field, value=raw)
    moment = moment.astimezone(UTC)
    if moment.microsecond:
        raise Invalid(f"{field} must be a whole second; got {raw}", field=field, value=raw)
    return moment
