"""A simulated cloud that makes accounts by the protocol of `docs/cloud-accounts.md`, and misbehaves when it is told to.

Beside what `gradumen.demo.simulated` knows, this goes wrong with calls that change something: ``refuse`` (500, nothing
done), ``half`` (done, but 500), ``late`` (no answer in time, done afterwards).
"""

import html
import json
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

from gradumen.demo.simulated import PASSING, Handler, Simulated

TOKEN = "let-me-make-accounts"  # of a cloud that is none
KEEPS = ("processors", "memory", "storage", "machines")
"""The measures that it holds accounts to."""
HOSTS_A_PAGE = 25


class _Handler(Handler):
    of: "SimulatedCloud"

    def _lets(self) -> bool:
        if self.headers.get("Authorization") == f"Bearer {TOKEN}":
            return True
        self.answer_json(401, {"error": "no such token"})
        return False

    def do_GET(self) -> None:  # the server calls it so
        """What it is, and accounts."""
        parts = urlsplit(self.path)
        if parts.path == "/page":
            self._page()
            return
        if not self._lets():
            return
        if parts.path in ("", "/"):
            rights = ["read", "write"]
            told = {"name": self.of.name, "rights": rights, "accounts": len(self.of.accounts)}
            self.answer_json(200, {**told, "keeps": ["limits", "people", *(["hosts"] if self.of.hosts else [])]})
        elif parts.path == "/hosts" and self.of.hosts:
            begin = int(parse_qs(parts.query).get("after", ["0"])[0])
            hosts, end = self.of.hosts(), begin + HOSTS_A_PAGE
            self.answer_json(200, {"hosts": hosts[begin:end], "next": str(end) if end < len(hosts) else None})
        elif parts.path == "/accounts":
            asked = parse_qs(parts.query)
            key = "tag" if "tag" in asked else "name"
            self.answer_json(200, {"accounts": self.of.find(key, asked.get(key, [""])[0])})
        else:
            found = self.of.accounts.get(unquote(parts.path.removeprefix("/accounts/")))
            self.answer_json(*((200, dict(found)) if found else (404, {"error": "there is no such account"})))

    def do_POST(self) -> None:  # the server calls it so
        """Make an account, or tell what is to go wrong."""
        body = self.body()
        if not self.takes_mishaps(body) and self._lets():
            told = json.loads(body or b"{}")
            self._mishap(lambda: self.of.make(told["name"], told.get("tag")))

    def do_PUT(self) -> None:  # the server calls it so
        """Limits, or a user, of an account."""
        told = json.loads(self.body() or b"{}")
        if self._lets():
            self._mishap(lambda: self.of.put(self.path, told))

    def do_DELETE(self) -> None:  # the server calls it so
        """Take an account, or a user of one, away."""
        if self._lets():
            act = self.of.dismiss if "/people/" in self.path else self.of.remove
            self._mishap(lambda: act(self.path))

    def _mishap(self, act: Any) -> None:
        """Do something, as far as nothing goes wrong."""
        wrong = self.next_mishap()
        if wrong == "refuse":
            self.answer_json(500, {"error": "out of order"})
        elif wrong == "half":
            act()
            self.answer_json(500, {"error": "out of order"})
        elif wrong == "late":
            timer = threading.Timer(self.of.late_seconds, act)
            self.of.later.append(timer)
            timer.start()
            self.close_connection = True
        elif self.passes(wrong):
            self.answer_json(*act())

    def _cells(self, account: dict[str, str | None]) -> list[str]:
        """Everything of an account."""
        id = str(account["id"])
        limits = [f"{measure} {limit}" for measure, limit in self.of.limits.get(id, {}).items() if limit is not None]
        known = [account[key] or "" for key in ("id", "name", "tag")]
        return [*known, ", ".join(limits), ", ".join(sorted(self.of.people.get(id, ())))]

    def _page(self) -> None:
        rows = "".join(
            "<tr>" + "".join(f"<td>{html.escape(cell)}</td>" for cell in self._cells(each)) + "</tr>"
            for each in self.of.accounts.values()
        )
        content = (
            f"<!doctype html><meta charset=utf-8><title>{html.escape(self.of.name)}</title>"
            "<style>body{font:15px/1.5 Inter,Arial,sans-serif;margin:24px;background:#f7f5ef;color:#22302b}"
            "td,th{text-align:left;padding:6px 14px 6px 0;border-bottom:1px solid #d9d4c7}</style>"
            f"<h1>{html.escape(self.of.name)}</h1><p>A simulated cloud: {len(self.of.accounts)} accounts.</p>"
            f"<table><tr><th>Account<th>Name<th>Tag<th>Limits<th>Users</tr>{rows}</table>"
        ).encode()
        self.answer(200, content, "text/html; charset=utf-8")


class SimulatedCloud(Simulated):
    """The service; with a file it remembers its accounts."""

    handler = _Handler
    known_mishaps = (*PASSING, "refuse", "half", "late")
    slow_seconds = 2.0

    def __init__(self, name: str, port: int = 0, file: Path | None = None) -> None:
        super().__init__(port)
        self.name, self.file = name, file
        self.accounts: dict[str, dict[str, str | None]] = {}
        self.limits: dict[str, dict[str, str | None]] = {}
        self.people: dict[str, set[str]] = {}
        """Limits and users of accounts by their ids."""
        self.hosts: Callable[[], list[dict[str, Any]]] | None = None
        """What it tells of its hosts just now; without, it does not tell."""
        self.late_seconds = 3.0
        """How long after the call what is late is done."""
        self.lock = threading.Lock()
        self.later: list[threading.Timer] = []

    def start(self) -> None:
        """Listen on loopback, with what it remembers."""
        if self.file is not None and self.file.exists():
            told = json.loads(self.file.read_text())
            self.accounts, self.limits = told.get("accounts", {}), told.get("limits", {})
            self.people = {id: set(people) for id, people in told.get("people", {}).items()}
        super().start()

    def stop(self) -> None:
        """End; what is late does not happen any more."""
        for timer in self.later:
            timer.cancel()
        super().stop()

    def find(self, key: str, value: str) -> list[dict[str, str | None]]:
        """The accounts with a name or a tag."""
        return [each for each in self.accounts.values() if each[key] == value]

    def make(self, name: str, tag: str | None) -> tuple[int, dict[str, Any]]:
        """Make an account whose name is free."""
        with self.lock:
            if self.find("name", name):
                return 409, {"error": f"the name {name} is taken"}
            number = 1 + max((int(each.removeprefix("acc-")) for each in self.accounts), default=1000)
            made: dict[str, str | None] = {"id": f"acc-{number}", "name": name, "tag": tag}
            self.accounts[f"acc-{number}"] = made
            self._keep()
        return 201, dict(made)

    def remove(self, path: str) -> tuple[int, dict[str, Any]]:
        """Take one away."""
        id = unquote(path.removeprefix("/accounts/"))
        with self.lock:
            found = self.accounts.pop(id, None)
            self.limits.pop(id, None)
            self.people.pop(id, None)
            self._keep()
        return (204, {}) if found else (404, {"error": "there is no such account"})

    def put(self, path: str, told: dict[str, Any]) -> tuple[int, dict[str, Any]]:
        """Limits, or a user, of an account."""
        id, _, what = path.removeprefix("/accounts/").partition("/")
        if id not in self.accounts:
            return 404, {"error": "there is no such account"}
        if what == "limits":
            limits = {measure: limit for measure, limit in told["limits"].items() if measure in KEEPS}
            with self.lock:
                self.limits[id] = limits
                self._keep()
            return 200, {"kept": list(limits)}
        with self.lock:
            self.people.setdefault(id, set()).add(unquote(what.removeprefix("people/")))
            self._keep()
        return 204, {}

    def dismiss(self, path: str) -> tuple[int, dict[str, Any]]:
        """Take a user of an account away."""
        id, _, what = path.removeprefix("/accounts/").partition("/people/")
        with self.lock:
            self.people.get(id, set()).discard(unquote(what))
            self._keep()
        return 204, {}

    def _keep(self) -> None:
        if self.file is not None:
            people = {id: sorted(each) for id, each in self.people.items()}
            self.file.write_text(json.dumps({"accounts": self.accounts, "limits": self.limits, "people": people}))
