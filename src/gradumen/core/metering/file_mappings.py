"""Files in any shape: which column of a row says what of a reading, and which way it is written."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from enum import StrEnum
from typing import Any
from zoneinfo import ZoneInfo

from gradumen.core.errors import Invalid
from gradumen.core.metering.readings import Reading, read_reading

Row = Mapping[str, str]
"""A row of a file: the texts of its cells by column; an empty one says nothing."""


class Lasts(StrEnum):
    """How long a row lasts that has no end."""

    MINUTE = "minute"
    QUARTER = "quarter hour"
    HOUR = "hour"
    DAY = "day"
    """24 hours."""
    UNTIL_NEXT = "until the next"
    """It holds until the resource's next row, for meters that count so."""

    @property
    def length(self) -> timedelta | None:
        """As a span of time; None where it ends with the next."""
        if self is Lasts.UNTIL_NEXT:
            return None
        return timedelta(minutes={Lasts.MINUTE: 1, Lasts.QUARTER: 15, Lasts.HOUR: 60, Lasts.DAY: 24 * 60}[self])


@dataclass(frozen=True, slots=True)
class Said:
    """What says a value: a column, whose texts may stand for others, or one text for all rows."""

    column: str | None = None
    text: str | None = None
    values: Mapping[str, str] = field(default_factory=dict)

    def of(self, row: Row) -> str:
        """What a row says; empty where it says nothing.

        Raises:
            Invalid: its text stands for nothing.

        >>> Said("flavour", values={"m1": "small"}).of({"flavour": "m1"}), Said(text="vCPU").of({})
        ('small', 'vCPU')
        """
        if self.column is None:
            return self.text or ""
        said = row.get(self.column, "").strip()
        if not said or not self.values:
            return said
        if not self.values.get(said):
            raise Invalid(
                f"column {self.column} says '{said[:60]}', and nothing is given that it stands for",
                field=self.column,
                value=said,
            )
        return self.values[said]


@dataclass(frozen=True, slots=True)
class Measured:
    """One quantity of a row: how much of which meter, in which unit."""

    quantity: Said
    meter: Said
    unit: Said


@dataclass(frozen=True, slots=True)
class FileMapping:
    """How the rows of a file become readings.

    ``identity`` are the columns that together tell a row from all others, whichever file it comes in. Without ``end``
    a row ``lasts``. ``times`` says how times are written, as `datetime.strptime` reads them; without it as ISO 8601.
    A time that names no zone is of ``zone``. ``decimal`` is what stands before decimal places.
    """

    identity: tuple[str, ...]
    measured: tuple[Measured, ...]
    resource: Said
    start: Said
    end: Said | None = None
    lasts: Lasts | None = None
    source: Said | None = None
    owner: Said | None = None
    account: Said | None = None
    sequence: Said | None = None
    attributes: Mapping[str, Said] = field(default_factory=dict)
    times: str | None = None
    zone: ZoneInfo = field(default_factory=lambda: ZoneInfo("UTC"))
    decimal: str = "."

    def columns(self) -> Iterator[str]:
        """The columns that it needs."""
        said = [self.resource, self.start, self.end, self.source, self.owner, self.account, self.sequence]
        said += [*self.attributes.values(), *(part for each in self.measured for part in _parts(each))]
        yield from self.identity
        yield from (each.column for each in said if each is not None and each.column is not None)


def _parts(measured: Measured) -> tuple[Said, ...]:
    return measured.quantity, measured.meter, measured.unit


EXAMPLE = datetime(2026, 10, 31, 18, 45, 7, tzinfo=UTC)


def read_written(said: str, way: str | None) -> datetime | None:
    """A time as it is written, with a zone only where it says one; None where it is written otherwise.

    Args:
        way: as `datetime.strptime` reads it; None is ISO 8601.
    """
    try:
        if way is None:
            return datetime.fromisoformat(said)
        return datetime.strptime(said, way)  # noqa: DTZ007  # whose clocks it is of is said beside it
    except ValueError:
        return None


def readings_of(mapping: FileMapping, row: Row, source: str) -> list[Reading]:
    """The readings of a row: one for each quantity that it has.

    Args:
        source: of rows that say none.

    Raises:
        Invalid: something of it cannot be read.

    >>> mapping = FileMapping(("vm", "at"), (Measured(Said("cpu"), Said(text="compute/vcpu"), Said(text="vCPU")),),
    ...     resource=Said("vm"), start=Said("at"), lasts=Lasts.HOUR, decimal=",", zone=ZoneInfo("Europe/Dublin"))
    >>> [reading] = readings_of(mapping, {"vm": "web-1", "at": "2026-10-01 09:00", "cpu": "1,5"}, "/files/a.csv")
    >>> reading.id, str(reading.quantity), reading.start.isoformat()
    ('web-1/2026-10-01 09:00', '1.5', '2026-10-01T08:00:00+00:00')
    """
    measured = [(each, each.quantity.of(row)) for each in mapping.measured]
    start = _moment(mapping, mapping.start.of(row), "start")
    end = _end(mapping, row, start)
    facts: dict[str, Any] = {"resource": mapping.resource.of(row), "start": start.isoformat()}
    if end is not None:
        facts["end"] = end.isoformat()
    for name, said in (("owner", mapping.owner), ("account", mapping.account)):
        facts[name] = said.of(row) or None if said else None
    attributes = {name: said.of(row) for name, said in mapping.attributes.items()}
    facts["attributes"] = {name: value for name, value in attributes.items() if value}
    if mapping.sequence is not None:
        facts["sequence"] = _whole(mapping.sequence.of(row))
    identity = "/".join(_named(row, column) for column in mapping.identity)
    source = (mapping.source.of(row) if mapping.source else "") or source
    found = []
    for each, quantity in measured:
        if quantity:
            meter = each.meter.of(row)
            several = f"/{meter}" if len(measured) > 1 else ""
            own = {"quantity": _number(quantity, mapping.decimal), "meter": meter, "unit": each.unit.of(row)}
            found.append(read_reading(source, f"{identity}{several}", facts | own))
    return found


def _named(row: Row, column: str) -> str:
    said = row.get(column, "").strip()
    if not said:
        raise Invalid(f"column {column} is empty, and the row is told from others by it", field=column)
    return said


def _end(mapping: FileMapping, row: Row, start: datetime) -> datetime | None:
    said = mapping.end.of(row) if mapping.end else ""
    if said:
        return _moment(mapping, said, "end")
    if mapping.lasts is None:
        raise Invalid("the row has no end; say in the mapping how long one lasts", field="end")
    length = mapping.lasts.length
    return None if length is None else start + length


def _moment(mapping: FileMapping, said: str, name: str) -> datetime:
    """A time in UTC.

    Raises:
        Invalid: it cannot be read, or its clocks show it twice, or never.
    """
    moment = read_written(said, mapping.times)
    if moment is None:
        how = f"like {EXAMPLE.strftime(mapping.times)}" if mapping.times else "in ISO 8601"
        raise Invalid(f"{name} '{said[:60]}' is no time that is written {how}", field=name, value=said)
    if moment.tzinfo is not None:
        return moment.astimezone(UTC)
    first, second = (moment.replace(tzinfo=mapping.zone, fold=fold).astimezone(UTC) for fold in (0, 1))
    if first == second:
        return first
    if first < second:
        why = f"the clocks of {mapping.zone.key} show {said} twice; let the file say the offset from UTC too"
    else:
        why = f"the clocks of {mapping.zone.key} never show {said}"
    raise Invalid(why, field=name, value=said)


def _number(said: str, decimal: str) -> str:
    """A number as it is written everywhere.

    >>> _number("1,5", ","), _number("1e3", ".")
    ('1.5', '1e3')
    """
    if decimal == ",":
        if "." in said:
            raise Invalid(f"quantity '{said[:40]}' has a point, and commas stand before decimals", field="quantity")
        return said.replace(",", ".")
    return said


def _whole(said: str) -> object:
    return int(said) if said.isascii() and said.isdigit() and len(said) < 12 else said
