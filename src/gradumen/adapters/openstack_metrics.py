"""Measures of an OpenStack metric service, by the token of its identity service.

A query is written ``TYPE METRIC AGGREGATION``, like ``instance vcpus mean``, with ``where`` and a condition in the
service's own words after it, if only some resources are meant. Labels are attributes of the resource, as ``id``,
``project_id``, ``display_name``; an hour's samples are those that the service aggregated at the step that is asked for,
so that has to be one of the granularities that it keeps.
"""

import json
import re
from datetime import datetime, timedelta
from typing import Any

import httpx

from gradumen.adapters.door import Door, Outside, call
from gradumen.adapters.measuring import MOST_SERIES
from gradumen.adapters.openstack_tokens import service_of, utc_moment
from gradumen.core.errors import Conflict, whole_text
from gradumen.core.metering.pulls import How, Series
from gradumen.wire.metering.pulls import PullQueryForm

LARGEST = 32 * 1024 * 1024
_QUERY = re.compile(r"([\w.-]{1,80}) ([\w.-]{1,120}) ([a-z0-9:]{1,20})(?: where (.{1,1500}))?")


class OpenStackMetrics:
    """One of them, by the address of its identity service and an application credential."""

    def __init__(self, door: Door, endpoint: str, secret: str) -> None:
        self._door, self._secret = door, secret
        self._identity = door.client(endpoint.rstrip("/") + "/")
        self._metrics: Outside | None = None

    def close(self) -> None:
        """End its connections."""
        self._identity.close()
        if self._metrics is not None:
            self._metrics.close()

    def look(self) -> str:
        """What was reached."""
        kinds = self._list("GET", "v1/resource_type")
        return f"an OpenStack metric service, with {len(kinds)} types of resources"

    def over(self, queried: PullQueryForm, start: datetime, end: datetime, step_seconds: int) -> list[Series]:
        """What a query gives; see `gradumen.adapters.measuring`.

        What is aggregated over a step stands for its end where it is a counter, for its begin where it is a level.
        """
        found = _QUERY.fullmatch(queried.query.strip())
        if found is None:
            raise Conflict(
                f"query '{queried.name}' is written like: instance vcpus mean, or instance vcpus mean where id = 'x'"
            )
        kind, metric, aggregation, condition = found.groups()
        labels = sorted(
            {*queried.resource, *filter(None, (queried.account, queried.owner)), *queried.attributes.values()}
        )
        step = timedelta(seconds=step_seconds)
        late = step if queried.how is How.COUNTER else timedelta(0)
        query: dict[str, Any] = {
            "groupby": labels,
            "granularity": step_seconds,
            "start": f"{start - late:%Y-%m-%dT%H:%M:%S}",
            "stop": f"{end - late + step:%Y-%m-%dT%H:%M:%S}",
            # What came in since and is not aggregated yet is waited for.
            "refresh": "true",
        }
        body: dict[str, Any] = {"operations": ["metric", metric, aggregation], "resource_type": kind}
        body["search"] = condition or {}
        groups = self._list("POST", "v1/aggregates", params=query, json=body)
        if len(groups) > MOST_SERIES:
            raise Conflict(f"the query gives {len(groups)} series, at most {MOST_SERIES} are read; ask for fewer")
        return [series for each in groups for series in _series(each, metric, aggregation, late)]

    def _list(self, method: str, path: str, **options: Any) -> list[Any]:
        """A list that it answers, its numbers as they are written."""
        try:
            found = json.loads(self._asked(method, path, **options), parse_float=str, parse_int=str)
        except ValueError as error:
            raise Conflict("its metric service answered no JSON; look at its address in the catalogue") from error
        if not isinstance(found, list):
            raise Conflict("its metric service answered no list; look at its address in the catalogue")
        return found

    def _asked(self, method: str, path: str, **options: Any) -> bytes:
        client = self._client()
        answer = call(client, method, path, largest=LARGEST, **options)
        if answer.status_code == httpx.codes.UNAUTHORIZED:
            raise Conflict("its metric service does not take the token of its identity service")
        if answer.status_code == httpx.codes.FORBIDDEN:
            raise Conflict("the credential may not read measures of all projects")
        if not answer.is_success:
            raise Conflict(f"its metric service refused: {_reason(answer)}")
        return answer.content

    def _client(self) -> Outside:
        if self._metrics is None:
            self._metrics = service_of(self._door, self._identity, self._secret, "metric")
        return self._metrics


def _reason(answer: httpx.Response) -> str:
    """What it says of a refusal, in its words and few of them."""
    try:
        told = answer.json()
    except ValueError:
        return f"it answered {answer.status_code}"
    said = told.get("description", told) if isinstance(told, dict) else told
    return whole_text(str(said.get("cause", said) if isinstance(said, dict) else said)[:300])


def _series(told: Any, metric: str, aggregation: str, late: timedelta) -> list[Series]:
    """The series of a group: one for each of its resources."""
    try:
        labels = {name: str(value) for name, value in told["group"].items() if value is not None}
        measured = told["measures"]["measures"]
        return [
            (labels, [(utc_moment(at) + late, value) for at, _, value in of[metric][aggregation]])
            for of in measured.values()
        ]
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise Conflict("it answered a group without labels or measures") from error
