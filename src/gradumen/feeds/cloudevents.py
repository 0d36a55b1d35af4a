"""Readings, and what happens to resources, as CloudEvents 1.0: all three modes of the HTTP protocol binding."""

import json
from collections.abc import Mapping
from decimal import Decimal
from typing import Any
from urllib.parse import unquote

from gradumen.core.errors import GradumenError, Invalid, TooLarge, WrongMediaType
from gradumen.core.metering.life_events import (
    EVENT_TYPES,
    LISTING_TYPE,
    TOLD_TYPE,
    Listing,
    read_life_event,
    read_listing,
    read_told,
)
from gradumen.core.metering.readings import Reading, Told, read_reading
from gradumen.feeds.event_batches import EVENT_TYPE, read_plain
from gradumen.wire.strict_json import refuse_constant, twice

MOST_EVENTS = 5000
SINGLE, BATCH = "application/cloudevents+json", "application/cloudevents-batch+json"

Unreadable = tuple[object, GradumenError, object]
"""The id of an item, as far as it has one, what is wrong with it, and the item."""
Read = Reading | Told | Listing | Unreadable


def read_events(content_type: str, headers: Mapping[str, str], body: bytes) -> list[Read]:
    """Read a request's events; one that is broken takes its place in the list as `Unreadable`.

    Raises:
        WrongMediaType: none of the three modes.
        Invalid: the body is not JSON, or not a list in batch mode.
        TooLarge: more events than a batch may have.
    """
    media = content_type.partition(";")[0].strip().lower()
    if media == BATCH:
        readings = read_plain(body)
        events = _json(body) if readings is None else readings
        if not isinstance(events, list):
            raise Invalid("a batch is a JSON list of events", field="body")
        if len(events) > MOST_EVENTS:
            raise TooLarge(f"{len(events)} events in one batch; send at most {MOST_EVENTS}", most=MOST_EVENTS)
        return [_read(event) for event in events] if readings is None else list(readings)
    if media == SINGLE:
        return [_read(_json(body))]
    if media == "application/json" and "ce-specversion" in headers:
        event = {name[3:]: unquote(value) for name, value in headers.items() if name.startswith("ce-")}
        return [_read({**event, "data": _json(body)})]
    raise WrongMediaType(
        f"content type '{media[:60]}' is not read here; send {BATCH}, {SINGLE}, or application/json with ce- headers",
        content_type=media[:60],
    )


def _read(event: Any) -> Read:
    identity = event.get("id") if isinstance(event, dict) else None
    try:
        if not isinstance(event, dict):
            raise Invalid("an event is a JSON object", field="event")
        _check_once(event)
        if event.get("specversion") != "1.0":
            raise Invalid("specversion must be 1.0", field="specversion", value=event.get("specversion"))
        kind, source, data = event.get("type"), event.get("source"), event.get("data")
        if kind == EVENT_TYPE:
            return read_reading(source, identity, data)
        if kind == TOLD_TYPE:
            return read_told(source, identity, data)
        if kind == LISTING_TYPE:
            return read_listing(source, identity, data)
        if not isinstance(kind, str) or kind not in EVENT_TYPES:
            known = ", ".join((EVENT_TYPE, *EVENT_TYPES, LISTING_TYPE, TOLD_TYPE))
            raise Invalid(f"type must be one of {known}", field="type", value=kind)
        return read_life_event(EVENT_TYPES[kind], source, identity, data)
    except Invalid as problem:
        return identity, problem, event


def _json(body: bytes) -> Any:
    try:
        return json.loads(body, parse_float=Decimal, parse_constant=refuse_constant, object_pairs_hook=_object)
    except (ValueError, RecursionError) as error:
        raise Invalid(f"the body is not JSON: {str(error)[:120]}", field="body") from None


class _Twice(dict[str, Any]):
    """An object that names a field twice; only its own event is refused."""


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    return dict(pairs) if twice(pairs) is None else _Twice(pairs)


def _check_once(event: Mapping[str, Any]) -> None:
    """Refuse an event that says a field twice, itself or in what a reading is read from."""
    data = event.get("data")
    for each in (event, data, data.get("attributes") if isinstance(data, dict) else None):
        if isinstance(each, _Twice):
            raise Invalid("a field stands twice in this event; send it once", field="event")
