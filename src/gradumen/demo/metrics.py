"""A small metrics server with the part of the HTTP API of Prometheus that the service asks; it misbehaves on demand.

What its series are at a moment follows from the moment alone, so that whatever is asked again is the same again.
"""

import json
import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

Value = Callable[[datetime], str | None]
"""What a series is at a moment; None where it has no sample."""
MISHAPS = ("refuse", "drop", "slow", "drip", "elsewhere", "nonsense", "endless")


class SimulatedMetrics:
    """The server, for as long as it is started."""

    def __init__(self, token: str, port: int = 0) -> None:
        self.token, self.port = token, port
        self.series: dict[str, list[tuple[Mapping[str, str], Value]]] = {}
        """By the text of a query."""
        self.mishaps: deque[str] = deque()
        self.asked: list[dict[str, str]] = []
        """What was asked, in its order."""
        self._server: ThreadingHTTPServer | None = None

    def start(self) -> None:
        """Listen on loopback."""
        metrics = self

        class Bound(_Handler):
            of = metrics

        self._server = ThreadingHTTPServer(("127.0.0.1", self.port), Bound)
        self.port = self._server.server_address[1]
        threading.Thread(target=self._server.serve_forever, name="simulated metrics", daemon=True).start()

    @property
    def url(self) -> str:
        """Where it is reached."""
        return f"http://127.0.0.1:{self.port}"

    def stop(self) -> None:
        """End."""
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()

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


class _Handler(BaseHTTPRequestHandler):
    of: SimulatedMetrics
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing is written down."""

    def do_GET(self) -> None:  # the server calls it so
        """What it is."""
        self._told({}, lambda: {"version": "simulated"})

    def do_POST(self) -> None:  # the server calls it so
        """A query over some time."""
        body = self.rfile.read(int(self.headers.get("Content-Length", "0"))).decode()
        asked = {name: values[0] for name, values in parse_qs(body).items()}
        self.of.asked.append(asked)
        self._told(asked, lambda: self.of.over(asked))

    def _told(self, asked: Mapping[str, str], data: Callable[[], dict[str, Any]]) -> None:
        if self.headers.get("Authorization") != f"Bearer {self.of.token}":
            self._answer(401, {"status": "error", "error": "no such token"})
            return
        wrong = self.of.mishaps.popleft() if self.of.mishaps else ""
        if wrong == "refuse":
            self._answer(503, {"status": "error", "error": "out of order"})
        elif wrong == "drop":
            self.close_connection = True
        elif wrong == "elsewhere":
            self._answer(302, {}, location="http://127.0.0.1:9/")
        elif wrong == "nonsense":
            self._answer(200, {"status": "success", "data": {"resultType": "vector", "result": "none"}})
        elif wrong in ("drip", "endless"):
            self._drip(0.2 if wrong == "drip" else 0, b" " * (1 if wrong == "drip" else 1 << 20))
        else:
            time.sleep(4 if wrong == "slow" else 0)
            known = not asked or urlsplit(self.path).path == "/api/v1/query_range"
            answer = {"status": "success", "data": data()} if known else {"status": "error", "error": "no such page"}
            self._answer(200 if known else 404, answer)

    def _answer(self, status: int, body: dict[str, Any], *, location: str = "") -> None:
        content = json.dumps(body).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        if location:
            self.send_header("Location", location)
        self.end_headers()
        self.wfile.write(content)

    def _drip(self, pause: float, part: bytes) -> None:
        """An answer that comes a little at a time, or that has no end: until who asked has enough."""
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Transfer-Encoding", "chunked")
        self.end_headers()
        self.close_connection = True
        try:
            for _ in range(400):
                self.wfile.write(f"{len(part):x}\r\n".encode() + part + b"\r\n")
                time.sleep(pause)
        except OSError:
            return
