"""A first guess of what the columns of a file say, to be looked at and corrected."""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise

from gradumen.core.metering.file_mappings import Lasts, Row, read_written

NAMES = {
    "id": ("id", "recordid", "eventid", "lineid", "rowid", "uuid"),
    "source": ("source",),
    "owner": ("owner",),
    "account": ("account", "accountid", "subaccountid", "subaccount", "tenantid", "tenant", "customerid", "customer"),
    "resource": ("resource", "resourceid", "instanceid", "instance", "machine", "machineid", "vm", "vmid", "server"),
    "meter": ("meter", "metername", "metric", "metricname"),
    "quantity": ("quantity", "consumedquantity", "usage", "usagequantity", "amount", "value", "used"),
    "unit": ("unit", "consumedunit", "units", "unitofmeasure"),
    "start": ("start", "chargeperiodstart", "from", "starttime", "startdate", "begin", "timestamp", "time", "date",
              "day", "hour"),
    "end": ("end", "chargeperiodend", "to", "until", "endtime", "enddate"),
    "sequence": ("sequence", "revision"),
}  # fmt: skip
"""What columns are called that say something, in small letters without anything else; the likeliest first."""
ATTRIBUTE = "attribute."
TIMES = (
    "%d/%m/%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%m/%d/%Y %H:%M", "%d/%m/%Y", "%m/%d/%Y",
    "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%d.%m.%Y", "%Y%m%d", "%Y/%m/%d %H:%M", "%Y/%m/%d",
)  # fmt: skip
"""Ways to write times, beside ISO 8601."""
MOST_VALUES = 30
_DECIMAL_COMMA = re.compile(r"[+-]?\d+,\d+", re.ASCII)


@dataclass(slots=True)
class Guess:
    """What each field of a reading is said by, as far as that can be seen; what is not there is to be chosen."""

    columns: dict[str, str] = field(default_factory=dict)
    attributes: dict[str, str] = field(default_factory=dict)
    meters: dict[str, str] = field(default_factory=dict)
    """What the texts of the column of meters stand for; empty where that is to be said."""
    times: str | None = None
    lasts: Lasts | None = None
    decimal: str = "."
    doubts: list[str] = field(default_factory=list)
    """What may be otherwise, in sentences."""

    @property
    def identity(self) -> list[str]:
        """The columns that tell a row from others."""
        if "id" in self.columns:
            return [self.columns["id"]]
        return [self.columns[name] for name in ("account", "resource", "meter", "start") if name in self.columns]


def guess(columns: Sequence[str], rows: Sequence[Row], meters: Collection[str]) -> Guess:
    """Guess from names and from what stands in some rows.

    Args:
        meters: those that there are.

    >>> found = guess(["VM", "Date", "Usage"], [{"VM": "a", "Date": "31/10/2026", "Usage": "1,5"}], [])
    >>> found.columns, found.times, found.decimal, found.lasts.value
    ({'resource': 'VM', 'quantity': 'Usage', 'start': 'Date'}, '%d/%m/%Y', ',', 'day')
    """
    found = Guess()
    plain = {column: re.sub(r"[^a-z0-9]", "", column.lower()) for column in columns}
    for name, words in NAMES.items():
        column = next((column for word in words for column in columns if plain[column] == word), None)
        if column is not None:
            found.columns[name] = column
    found.attributes = {
        column.removeprefix(ATTRIBUTE): column for column in columns if column.startswith(ATTRIBUTE) and column[10:]
    }
    _guess_meters(found, rows, meters)
    _guess_times(found, rows)
    quantities = _texts(found, "quantity", rows)
    if any(_DECIMAL_COMMA.fullmatch(each) for each in quantities) and not any("." in each for each in quantities):
        found.decimal = ","
    return found


def _texts(found: Guess, name: str, rows: Sequence[Row]) -> list[str]:
    column = found.columns.get(name)
    return [said for row in rows if column is not None and (said := row.get(column, "").strip())]


def _guess_meters(found: Guess, rows: Sequence[Row], meters: Collection[str]) -> None:
    said = dict.fromkeys(_texts(found, "meter", rows))
    if any(each not in meters for each in said):
        found.meters = {each: each if each in meters else "" for each in list(said)[:MOST_VALUES]}


def _guess_times(found: Guess, rows: Sequence[Row]) -> None:
    starts = _texts(found, "start", rows)
    if not starts:
        return
    fits = [way for way in (None, *TIMES) if all(read_written(each, way) for each in starts)]
    found.times = fits[0] if fits else None
    if not fits:
        found.doubts.append(f"'{starts[0][:40]}' is written as no time that is known here; say how it is written")
    elif len(fits) > 1 and fits[0] is not None:
        found.doubts.append(f"'{starts[0]}' may be written day first or month first; look at the readings")
    if "end" not in found.columns:
        found.lasts = _lasts([moment for each in starts if (moment := read_written(each, found.times))])
        found.doubts.append(f"no column says when a row ends; each is taken to last {_LONG[found.lasts]}")


_LONG: Mapping[Lasts, str] = {
    Lasts.MINUTE: "a minute", Lasts.QUARTER: "a quarter of an hour", Lasts.HOUR: "an hour", Lasts.DAY: "24 hours",
}  # fmt: skip


def _lasts(starts: Sequence[datetime]) -> Lasts:
    """The span between neighbours; a day where all are at midnight."""
    moments = sorted({each.replace(tzinfo=None) for each in starts})
    gaps = [(later - earlier).total_seconds() for earlier, later in pairwise(moments)]
    if gaps:
        fitting = [each for each in _LONG if each.length is not None and each.length.total_seconds() <= min(gaps)]
        return fitting[-1] if fitting else Lasts.MINUTE
    return Lasts.DAY if all(each.hour == each.minute == 0 for each in moments) else Lasts.HOUR
