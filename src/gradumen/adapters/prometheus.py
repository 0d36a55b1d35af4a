"""A server with the HTTP API of Prometheus: what a query gives over some time."""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

import httpx

from gradumen.adapters.door import Door, call, json_object
from gradumen.adapters.measuring import MOST_SERIES
from gradumen.core.errors import Conflict, whole_text
from gradumen.core.metering.pulls import Series
from gradumen.wire.metering.pulls import PullQueryForm

LARGEST = 32 * 1024 * 1024


class Prometheus:
    """One of them, by its address and token, or user and password."""

    def __init__(self, door: Door, endpoint: str, user: str | None, secret: str) -> None:
        bearer = {"Authorization": f"Bearer {secret}"} if secret and user is None else {}
        self._client = door.client(endpoint.rstrip("/") + "/", **bearer)
        self._auth = httpx.BasicAuth(user, secret) if user is not None else None

    def close(self) -> None:
        """End its connections."""
        self._client.close()

    def look(self) -> str:
        """What was reached."""
        told = self._asked("api/v1/status/buildinfo", {})
        version = told.get("version") if isinstance(told, dict) else None
        return f"it answers, version {str(version)[:40]}" if version else "it answers"

    def over(self, queried: PullQueryForm, start: datetime, end: datetime, step_seconds: int) -> list[Series]:
        """What a query gives at equal steps from a moment up to another, both included (`query_range`).

        Raises:
            Conflict: it does not take the query, or its answer is none of the interface.
            Unavailable: no answer in time.
        """
        asked = {"query": queried.query, "start": f"{start:%Y-%m-%dT%H:%M:%SZ}", "end": f"{end:%Y-%m-%dT%H:%M:%SZ}"}
        told = self._asked("api/v1/query_range", {**asked, "step": str(step_seconds)})
        result = told.get("result") if isinstance(told, dict) else None
        if not isinstance(result, list) or told.get("resultType") != "matrix":
            raise Conflict("it answered something that is no range of series; look at the address")
        if len(result) > MOST_SERIES:
            raise Conflict(f"the query gives {len(result)} series, at most {MOST_SERIES} are read; ask for fewer")
        return [_series(each) for each in result]

    def _asked(self, path: str, asked: Mapping[str, str]) -> Any:
        options: dict[str, Any] = {"auth": self._auth} if self._auth else {}
        method = "POST" if asked else "GET"
        answer = call(self._client, method, path, largest=LARGEST, data=dict(asked) or None, **options)
        if answer.status_code in (httpx.codes.UNAUTHORIZED, httpx.codes.FORBIDDEN):
            raise Conflict("it does not let the token, or the user, in")
        told = json_object(answer)
        if told is not None and told.get("status") == "error":
            raise Conflict(f"it refused: {whole_text(str(told.get('error', ''))[:300])}")
        if not answer.is_success or told is None or told.get("status") != "success":
            raise Conflict(f"it answered {answer.status_code}, which is none of its interface; look at the address")
        return told.get("data")


def _series(told: object) -> Series:
    labels = told.get("metric") if isinstance(told, dict) else None
    values = told.get("values") if isinstance(told, dict) else None
    if not isinstance(labels, dict) or not isinstance(values, list):
        raise Conflict("it answered a series without labels or values")
    try:
        samples = [(datetime.fromtimestamp(int(at), UTC), value) for at, value in values]
    except (TypeError, ValueError, OverflowError, OSError) as error:
        raise Conflict("it answered a sample that is no pair of a time and a value") from error
    return ({str(name): str(value) for name, value in labels.items()}, samples)
