"""Batches of CloudEvents in which nothing is odd, read by a decoder made for them, each distinct text checked once."""

import json
from datetime import datetime
from decimal import Decimal
from typing import Literal

import msgspec
from msgspec import UNSET, Raw, UnsetType

from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.readings import (
    Attributes,
    Reading,
    attribute_text,
    check_length,
    content_of,
    read_attributes,
    read_moment,
    read_quantity,
    read_sequence,
    read_text,
)
from gradumen.wire.strict_json import once, refuse_constant

EVENT_TYPE = "gradumen.reading.v1"


class _Data(msgspec.Struct, forbid_unknown_fields=True, gc=False):
    resource: str
    meter: str
    quantity: Raw
    unit: str
    start: str
    end: str
    owner: str | UnsetType | None = UNSET
    account: str | UnsetType | None = UNSET
    attributes: Raw | UnsetType = UNSET
    sequence: Raw | UnsetType = UNSET


class _Event(msgspec.Struct, forbid_unknown_fields=True, gc=False):
    specversion: Literal["1.0"]
    type: Literal["gradumen.reading.v1"]
    source: str
    id: str
    data: _Data
    time: str | UnsetType = UNSET
    subject: str | UnsetType = UNSET
    datacontenttype: str | UnsetType = UNSET
    dataschema: str | UnsetType = UNSET


_DECODER = msgspec.json.Decoder(list[_Event])
_REQUIRED = 11
"""Names that every event has, its data's with them."""


def read_plain(body: bytes) -> list[Reading] | None:
    """The readings of a batch; None where anything about it is odd, and the general way has to say what.

    What it gives is what `gradumen.feeds.cloudevents.read_events` would, ten times as fast.
    """
    # Without escapes each quote before a colon ends a name, or begins a text with a colon, which is odd enough.
    if b"\\" in body:
        return None
    try:
        events = _DECODER.decode(body)
        reader = _Reader()
        readings = [reader.reading(event) for event in events]
    except (msgspec.MsgspecError, Invalid, ValueError, RecursionError):
        return None
    names = body.translate(None, b" \t\r\n").count(b'":')
    return readings if names == sum(map(_names, events)) + sum(len(each.attributes) for each in readings) else None


def _names(event: _Event) -> int:
    """How many names an event has that says none twice, without those of attributes."""
    data = event.data
    optional = (
        event.time, event.subject, event.datacontenttype, event.dataschema,
        data.owner, data.account, data.attributes, data.sequence,
    )  # fmt: skip
    return _REQUIRED + len(optional) - optional.count(UNSET)


class _Reader:
    """Keeps what it has read, by its text."""

    def __init__(self) -> None:
        self.texts: set[str] = set()
        self.moments: dict[str, tuple[datetime, str]] = {}
        self.lengths: set[tuple[str, str]] = set()
        self.quantities: dict[bytes, tuple[Decimal, str]] = {}
        self.attributes: dict[bytes, tuple[Attributes, str]] = {b"": ((), "")}
        self.sequences: dict[bytes, int] = {b"": 0}

    def reading(self, event: _Event) -> Reading:
        """The reading of an event.

        Raises:
            Invalid, ValueError: something of it is odd.
        """
        data = event.data
        owner = None if data.owner is UNSET else data.owner
        account = None if data.account is UNSET else data.account
        for each in (event.source, owner, account, data.resource, data.meter, data.unit):
            if each is not None and each not in self.texts:
                self.texts.add(read_text(each, "text"))
        start, start_text = self.moment(data.start)
        end, end_text = self.moment(data.end)
        if (data.start, data.end) not in self.lengths:
            check_length(start, end)
            self.lengths.add((data.start, data.end))
        quantity, quantity_text = self.quantity(bytes(data.quantity))
        attributes, attributes_text = self.set_of(_bytes(data.attributes))
        sequence = self.sequence(_bytes(data.sequence))
        named = (owner, account, data.resource, data.meter, data.unit)
        content = content_of(named, quantity_text, (start_text, end_text), sequence, attributes_text)
        return Reading(
            event.source, read_text(event.id, "id"), owner, account, data.resource, data.meter, quantity, data.unit,
            start, end, attributes, sequence, content,
        )  # fmt: skip

    def moment(self, raw: str) -> tuple[datetime, str]:
        """A time and its one text."""
        if raw not in self.moments:
            moment = read_moment(raw, "time")
            self.moments[raw] = moment, moment.isoformat()
        return self.moments[raw]

    def quantity(self, raw: bytes) -> tuple[Decimal, str]:
        """A quantity and its one text."""
        if raw not in self.quantities:
            quantity = read_quantity(_value(raw))
            self.quantities[raw] = quantity, text(quantity)
        return self.quantities[raw]

    def set_of(self, raw: bytes) -> tuple[Attributes, str]:
        """Attributes and their one text."""
        if raw not in self.attributes:
            attributes = read_attributes(_value(raw))
            self.attributes[raw] = attributes, attribute_text(attributes)
        return self.attributes[raw]

    def sequence(self, raw: bytes) -> int:
        """A sequence."""
        if raw not in self.sequences:
            self.sequences[raw] = read_sequence(_value(raw))
        return self.sequences[raw]


def _bytes(raw: Raw | UnsetType) -> bytes:
    return bytes(raw) if isinstance(raw, Raw) else b""


def _value(raw: bytes) -> object:
    return json.loads(raw, parse_float=Decimal, parse_constant=refuse_constant, object_pairs_hook=once)
