"""Bodies of files in any shape, and how their columns are mapped to readings."""

import hashlib
import json
from base64 import b64decode
from binascii import Error
from collections.abc import Iterable
from datetime import datetime
from typing import Any, Literal
from zoneinfo import ZoneInfo

from pydantic import Field, model_validator

from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.file_mappings import FileMapping, Lasts, Measured, Said
from gradumen.core.metering.readings import Reading
from gradumen.core.periods import zone_of
from gradumen.wire.metering.readings import OutcomeBody
from gradumen.wire.values import Body, WholeNumber

MOST_FACTS = 16


class SaidForm(Body):
    """What says a value: a ``column``, whose texts may stand for others (``values``), or one ``text`` for all rows."""

    column: str | None = None
    text: str | None = None
    values: dict[str, str] = Field(default_factory=dict, max_length=1000)

    @model_validator(mode="after")
    def _one_of_two(self) -> "SaidForm":
        if (self.column is None) == (self.text is None):
            raise ValueError("is said by a column or by one text for all rows: give one of them")
        return self

    def value(self) -> Said:
        """As it is computed with."""
        return Said(self.column, self.text, self.values)


class MeasuredForm(Body):
    """One quantity of a row: how much of which meter, in which unit."""

    quantity: SaidForm
    meter: SaidForm
    unit: SaidForm


class FileMappingForm(Body):
    """How the rows of a file become readings; see `docs/formats.md`, files in any shape.

    ``identity`` are the columns that together tell a row from all others. ``lasts`` is how long a row lasts that has
    no ``end``. ``times`` is how times are written (as strptime reads them; null is ISO 8601), ``zone`` whose clocks
    they are where they say none, ``decimal`` what stands before decimal places. ``delimiter`` and ``encoding`` are of
    CSV; null is found out.
    """

    identity: list[str] = Field(min_length=1, max_length=8)
    measured: list[MeasuredForm] = Field(min_length=1, max_length=20)
    resource: SaidForm
    start: SaidForm
    end: SaidForm | None = None
    lasts: Lasts | None = None
    source: SaidForm | None = None
    owner: SaidForm | None = None
    account: SaidForm | None = None
    sequence: SaidForm | None = None
    attributes: dict[str, SaidForm] = Field(default_factory=dict, max_length=MOST_FACTS)
    times: str | None = Field(default=None, max_length=40)
    zone: str = "UTC"
    decimal: Literal[".", ","] = "."
    delimiter: Literal[",", ";", "\t", "|"] | None = None
    encoding: Literal["utf-8", "utf-16", "latin-1"] | None = None

    def value(self) -> FileMapping:
        """As it is computed with.

        Raises:
            Invalid: no such zone, or neither an end nor how long a row lasts.
        """
        if self.end is None and self.lasts is None:
            raise Invalid("say which column has the end of a row, or how long one lasts", field="lasts")
        zone: ZoneInfo = zone_of(self.zone)
        said = {name: each.value() if (each := getattr(self, name)) else None for name in _OPTIONAL}
        return FileMapping(
            identity=tuple(self.identity),
            measured=tuple(Measured(*(getattr(each, name).value() for name in _PARTS)) for each in self.measured),
            resource=self.resource.value(),
            start=self.start.value(),
            lasts=self.lasts,
            attributes={name: each.value() for name, each in self.attributes.items()},
            times=self.times or None,
            zone=zone,
            decimal=self.decimal,
            **said,
        )


_OPTIONAL = ("end", "source", "owner", "account", "sequence")
_PARTS = ("quantity", "meter", "unit")


class FileMappingBody(Body):
    """How a feed's files are mapped; ``mapping`` is null where nobody has said it yet."""

    feed: str
    version: int
    mapping: FileMappingForm | None


class FileMappingSet(Body):
    """A mapping in the place of the one of a version that was read."""

    version: WholeNumber
    mapping: FileMappingForm


class SentContent(Body):
    """What is in a file, or in a piece of one, in base64."""

    content: str

    def read(self) -> bytes:
        """What is in it.

        Raises:
            Invalid: it is no base64.
        """
        try:
            return b64decode(self.content, validate=True)
        except (Error, ValueError) as error:
            raise Invalid("content is the file in base64 (RFC 4648, 4)", field="content") from error


class SentFile(SentContent):
    """A file, its content in base64."""

    name: str = Field(min_length=1, max_length=180)


class FileSent(SentFile):
    """A file, its content in base64. Without a mapping it is read by the feed's own."""

    mapping: FileMappingForm | None = None


class FileRowBody(Body):
    """A row as it is in the file, with its line."""

    line: int
    cells: dict[str, str]


_SEEN = ("id", "owner", "account", "resource", "meter", "unit", "start", "end")


class ReadingSeenBody(Body):
    """A reading that a file would give."""

    line: int
    id: str
    owner: str | None
    account: str | None
    resource: str
    meter: str
    quantity: str
    unit: str
    start: datetime
    end: datetime
    attributes: dict[str, str]

    @classmethod
    def of_line(cls, line: int, reading: Reading) -> "ReadingSeenBody":
        """A reading as it is shown."""
        told = {name: getattr(reading, name) for name in _SEEN}
        return cls(line=line, quantity=text(reading.quantity), attributes=dict(reading.attributes), **told)


class FileProblemBody(Body):
    """What cannot be read in a line."""

    line: int
    reason: str
    field: str | None


class GuessBody(Body):
    """What the columns of a file may say; ``meters`` are texts that have to stand for meters."""

    columns: dict[str, str]
    attributes: dict[str, str]
    identity: list[str]
    meters: dict[str, str]
    times: str | None
    lasts: Lasts | None
    decimal: str
    doubts: list[str]


class FileLookBody(Body):
    """What a file is, and what it would give by a mapping; nothing is taken in.

    ``guess`` is told where there is no mapping. ``readings`` and ``problems`` are the first of them; ``refused`` counts
    all lines that cannot be read.
    """

    columns: list[str]
    rows: list[FileRowBody]
    count: int
    delimiter: str | None
    encoding: str | None
    guess: GuessBody | None
    readings: list[ReadingSeenBody]
    given: int
    refused: int
    problems: list[FileProblemBody]


class FileDeliveryBody(Body):
    """What became of a file; ``refusals`` are the first of what was refused. ``again``: it was here already.

    ``unknown`` of what was accepted is of unknown kind: nobody is charged for it until a rule says what it is.
    """

    delivery_id: str
    file: str
    accepted: int
    known: int
    refused: int
    refusals: list[OutcomeBody]
    again: bool
    unknown: int


def missing_columns(mapping: FileMapping, columns: Iterable[str]) -> None:
    """Check that a file has what a mapping needs.

    Raises:
        Invalid: names what is missing, and what there is.
    """
    there = set(columns)
    missing = [each for each in dict.fromkeys(mapping.columns()) if each not in there]
    if missing:
        has = ", ".join(sorted(there))[:300]
        raise Invalid(
            f"the file has no column {', '.join(missing)[:200]}, which its mapping needs; it has: {has}",
            field="mapping",
            value=missing[0],
        )


def content_hash(content: bytes, mapping: FileMappingForm) -> bytes:
    """16 bytes of SHA-256 that stand for a file and the way in which it is mapped."""
    written: Any = mapping.model_dump(mode="json")
    return hashlib.sha256(content + b"\x1f" + json.dumps(written, sort_keys=True).encode()).digest()[:16]
