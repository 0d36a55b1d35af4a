"""Small servers on loopback that stand for systems of others, and misbehave when they are told to.

``POST /mishaps`` with ``{"next": [...]}`` says what happens to the next calls, each to one. All know ``drop`` (the line
breaks), ``slow`` (late to answer), ``drip`` (a little at a time), ``endless`` and ``elsewhere`` (a redirect).
"""

import json
import threading
import time
from collections import deque
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, ClassVar

PASSING = ("drop", "slow", "drip", "endless", "elsewhere")


class Simulated:
    """A server, for as long as it is started; ``mishaps`` are what happens to the next calls."""

    handler: ClassVar[type["Handler"]]
    known_mishaps: ClassVar[tuple[str, ...]]
    slow_seconds = 4.0

    def __init__(self, port: int = 0) -> None:
        self.port = port
        self.mishaps: deque[str] = deque()
        self._server: ThreadingHTTPServer | None = None

    def start(self) -> None:
        """Listen on loopback."""
        bound = type("Bound", (self.handler,), {"of": self})
        self._server = ThreadingHTTPServer(("127.0.0.1", self.port), bound)
        self.port = self._server.server_address[1]
        threading.Thread(target=self._server.serve_forever, name="simulated", daemon=True).start()

    @property
    def url(self) -> str:
        """Where it is reached."""
        return f"http://127.0.0.1:{self.port}"

    def stop(self) -> None:
        """End."""
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()


class Handler(BaseHTTPRequestHandler):
    """Answers one connection of a server."""

    of: Any
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing is written down."""

    def body(self) -> bytes:
        """What came with the call."""
        return self.rfile.read(int(self.headers.get("Content-Length") or 0))

    def answer(self, status: int, content: bytes, kind: str = "application/json", **headers: str) -> None:
        """Answer, with further headers."""
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        for name, value in headers.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(content)

    def answer_json(self, status: int, body: dict[str, Any]) -> None:
        """Answer with an object; with nothing where there is none."""
        self.answer(status, b"" if status == 204 else json.dumps(body).encode())

    def takes_mishaps(self, body: bytes) -> bool:
        """Whether the call told what is to go wrong; then it is answered."""
        if self.path != "/mishaps":
            return False
        told = json.loads(body or b"{}")
        self.of.mishaps.extend(each for each in told.get("next", []) if each in self.of.known_mishaps)
        self.answer_json(204, {})
        return True

    def next_mishap(self) -> str:
        """What is to go wrong with this call, if anything."""
        return str(self.of.mishaps.popleft()) if self.of.mishaps else ""

    def passes(self, wrong: str) -> bool:
        """Whether an answer is still to be given after one of `PASSING`."""
        if wrong == "drop":
            self.close_connection = True
        elif wrong == "elsewhere":
            self.answer(302, b"", Location="http://127.0.0.1:9/")
        elif wrong in ("drip", "endless"):
            self._drip(0.2 if wrong == "drip" else 0, b" " * (1 if wrong == "drip" else 1 << 20))
        else:
            time.sleep(self.of.slow_seconds if wrong == "slow" else 0)
            return True
        return False

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
