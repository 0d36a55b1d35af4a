"""Readings."""

import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any

from gradumen.client.connection import Connection
from gradumen.core.metering.life_events import TOLD_TYPE, life_type
from gradumen.wire.metering.readings import (
    DeliveryOutcomeBody,
)

EVENT_TYPE = "gradumen.reading.v1"
BATCH = "application/cloudevents-batch+json"
MOST_EVENTS = 5000


def reading_event(source: str, id: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """A reading as a CloudEvent in JSON form; ``data`` as in `docs/formats.md`."""
    return _event(EVENT_TYPE, source, id, data)


def life_event(kind: str, source: str, id: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """What happened to a resource, as a CloudEvent; ``kind`` is made, changed, phase-changed or gone; or is listed."""
    return _event(life_type(kind), source, id, data)


def told_event(source: str, id: str, until: datetime) -> dict[str, Any]:
    """That a source has told all that happened up to a moment, as a CloudEvent."""
    return _event(TOLD_TYPE, source, id, {"until": until.isoformat()})


def _event(kind: str, source: str, id: str, data: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "specversion": "1.0",
        "type": kind,
        "source": source,
        "id": id,
        "datacontenttype": "application/json",
        "data": dict(data),
    }


class Readings:
    """Sends readings; sending again does no harm."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def send(self, feed: str, events: Sequence[Mapping[str, Any]]) -> DeliveryOutcomeBody:
        """Send one batch of at most 5,000 CloudEvents."""
        content = json.dumps(list(events), separators=(",", ":")).encode()
        return self.send_bytes(feed, content, BATCH)

    def send_bytes(
        self, feed: str, content: bytes, content_type: str, headers: Mapping[str, str] | None = None
    ) -> DeliveryOutcomeBody:
        """Send a body that is CloudEvents already, in any of the three modes."""
        response = self._connection.send(
            "POST",
            "readings",
            params={"feed": feed},
            content=content,
            headers={**(headers or {}), "Content-Type": content_type},
        )
        return DeliveryOutcomeBody.model_validate_json(response.content)

    def send_all(
        self, feed: str, events: Sequence[Mapping[str, Any]], *, batch: int = MOST_EVENTS
    ) -> Iterator[DeliveryOutcomeBody]:
        """Send any number in batches; gives the outcome of each as it comes."""
        for start in range(0, len(events), batch):
            yield self.send(feed, events[start : start + batch])
