"""A small compute service with an identity service beside it: it tells what its servers are at a moment, as real ones do.

Unlike a real one it has a clock that is set, and misbehaves when told to.
"""

import json
import threading
from dataclasses import dataclass, field
from datetime import datetime
from email.utils import format_datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

FLAVORS = {"small": (1, 512, 1), "large": (4, 2048, 10)}
STATUS = {"create": "ACTIVE", "stop": "SHUTOFF", "start": "ACTIVE", "pause": "PAUSED", "unpause": "ACTIVE"}


@dataclass
class Life:
    """What happens to a server: moments with what is done, a flavour after ``resize``, ``delete`` in the end."""

    id: str
    project: str
    flavor: str
    events: list[tuple[datetime, str]]
    name: str = "a server"

    def seen(self, now: datetime) -> dict[str, Any] | None:
        """What is told of it at a moment; None before it is there."""
        done = [each for each in self.events if each[0] <= now]
        if not done:
            return None
        status, flavor, launched, ended = "BUILD", self.flavor, done[0][0], None
        for at, what in done:
            if what.startswith("resize "):
                flavor, launched = what.partition(" ")[2], at
            elif what == "delete":
                status, ended = "DELETED", at
            else:
                status = STATUS[what]
        vcpus, ram, disk = FLAVORS[flavor]
        return {
            "id": self.id, "name": self.name, "tenant_id": self.project, "user_id": "somebody", "status": status,
            "created": _text(done[0][0]), "updated": _text(done[-1][0]), "metadata": {"team": "quay"},
            "flavor": {"original_name": flavor, "vcpus": vcpus, "ram": ram, "disk": disk},
            "OS-SRV-USG:launched_at": _text(launched), "OS-SRV-USG:terminated_at": ended and _text(ended),
        }  # fmt: skip

    def actions(self, now: datetime) -> list[dict[str, Any]]:
        """What was done to it until a moment, the last first."""
        return [
            {"action": what.partition(" ")[0], "start_time": _text(at), "updated_at": _text(at), "message": None}
            for at, what in reversed(self.events)
            if at <= now
        ]


def _text(at: datetime) -> str:
    return f"{at:%Y-%m-%dT%H:%M:%SZ}"


@dataclass
class Cloud:
    """It: ``forgets`` servers that it tells of no more, and ``refuses`` queries that have one of some words."""

    now: datetime
    lives: list[Life] = field(default_factory=list)
    forgets: set[str] = field(default_factory=set)
    refuses: set[str] = field(default_factory=set)
    page: int = 2
    asked: list[str] = field(default_factory=list)

    def start(self, port: int) -> None:
        """Listen on loopback."""
        cloud = self

        class Bound(_Handler):
            of = cloud

        self.server = ThreadingHTTPServer(("127.0.0.1", port), Bound)
        self.url = f"http://127.0.0.1:{port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        """End."""
        self.server.shutdown()
        self.server.server_close()

    def answer(self, path: str, query: dict[str, str]) -> tuple[int, dict[str, Any]]:
        """Of a path of the compute service."""
        if any(each in query for each in self.refuses):
            return 403, {"forbidden": {"code": 403, "message": "Policy does not allow it"}}
        if path.endswith("/os-instance-actions"):
            [life] = [each for each in self.lives if each.id == path.split("/")[-2]]
            return 200, {"instanceActions": life.actions(self.now)}
        found = [each.seen(self.now) for each in sorted(self.lives, key=lambda each: each.id)]
        there = [each for each in found if each and each["id"] not in self.forgets]
        if "changes-since" in query:
            there = [each for each in there if each["updated"] >= query["changes-since"]]
        else:
            there = [each for each in there if (each["status"] == "DELETED") is (query.get("deleted") == "true")]
        after = [each for each in there if each["id"] > query.get("marker", "")]
        return 200, {"servers": after[: min(self.page, int(query["limit"]))]}


class _Handler(BaseHTTPRequestHandler):
    of: Cloud

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers["Content-Length"]))
        endpoint = {"interface": "public", "url": f"{self.of.url}/compute"}
        self._send(201, {"token": {"catalog": [{"type": "compute", "endpoints": [endpoint]}]}})

    def do_GET(self) -> None:
        asked = urlsplit(self.path)
        self.of.asked.append(self.path)
        query = {key: values[0] for key, values in parse_qs(asked.query).items()}
        self._send(*self.of.answer(asked.path, query))

    def _send(self, status: int, told: dict[str, Any]) -> None:
        body = json.dumps(told).encode()
        self.send_response_only(status)
        self.send_header("Date", format_datetime(self.of.now, usegmt=True))
        self.send_header("X-Subject-Token", "token")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: object) -> None:
        """Quiet."""
