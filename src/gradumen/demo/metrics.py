"""A small metrics server with the part of the HTTP API of Prometheus that the service asks; it misbehaves on demand.

What its series are at a moment follows from the moment alone, so that whatever is asked again is the same again.
Beside what `gradumen.demo.simulated` knows goes wrong: ``refuse`` (503), ``nonsense`` (what is no answer to a query).
"""

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from typing import Any
from urllib.parse import parse_qs, urlsplit

from gradumen.demo.simulated import PASSING, Handler, Simulated

Value = Callable[[datetime], str | None]
"""What a series is at a moment; None where it has no sample."""


class _Handler(Handler):
    of: "SimulatedMetrics"

    def do_GET(self) -> None:  # the server calls it so
        """What it is."""
        self._told({}, lambda: {"version": "simulated"})

    def do_POST(self) -> None:  # the server calls it so
        """A query over some time, or what is to go wrong."""
        body = self.body()
        if self.takes_mishaps(body):
            return
        asked = {name: values[0] for name, values in parse_qs(body.decode()).items()}
        self.of.asked.append(asked)
        self._told(asked, lambda: self.of.over(asked))

    def _told(self, asked: Mapping[str, str], data: Callable[[], dict[str, Any]]) -> None:
        if self.headers.get("Authorization") != f"Bearer {self.of.token}":
            self.answer_json(401, {"status": "error", "error": "no such token"})
            return
        wrong = self.next_mishap()
        if wrong == "refuse":
            self.answer_json(503, {"status": "error", "error": "out of order"})
        elif wrong == "nonsense":
            self.answer_json(200, {"status": "success", "data": {"resultType": "vector", "result": "none"}})
        elif self.passes(wrong):
            known = not asked or urlsplit(self.path).path == "/api/v1/query_range"
            answer = {"status": "success", "data": data()} if known else {"status": "error", "error": "no such page"}
            self.answer_json(200 if known else 404, answer)


class SimulatedMetrics(Simulated):
    """The server."""

    handler = _Handler
    known_mishaps = (*PASSING, "refuse", "nonsense")

    def __init__(self, token: str, port: int = 0) -> None:
        super().__init__(port)
        self.token = token
        self.series: dict[str, list[tuple[Mapping[str, str], Value]]] = {}
        """By the text of a query."""
        self.asked: list[dict[str, str]] = []
        """What was asked, in its order."""

    def over(self, asked: Mapping[str, str]) -> dict[str, Any]:
        """A range of series, as `query_range` gives it."""
        start, end = (datetime.fromisoformat(asked[each]).timestamp() for each in ("start", "end"))
        step = int(asked["step"])
        moments = range(int(start), int(end) + 1, step)
        found = []
        for labels, value in self.series.get(asked["query"], []):
            samples = [(at, value(datetime.fromtimestamp(at, UTC))) for at in moments]
            told = [[at, each] for at, each in samples if each is not None]
            if told:
                found.append({"metric": dict(labels), "values": told})
        return {"resultType": "matrix", "result": found}
