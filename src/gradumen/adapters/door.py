"""The one door through which addresses that somebody entered are called.

The operator lists which ones (`GRADUMEN_OUTBOUND`). The address behind a name is looked at when the connection is made,
and that very address is connected to, so that a name cannot turn to another one in between.
"""

import ipaddress
import socket
import ssl
import time
from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, replace
from functools import cache
from typing import Any
from urllib.parse import urlsplit

import httpcore
import httpx

from gradumen.core.errors import Invalid, Unavailable
from gradumen.core.organisations.clouds import CALL_SECONDS

LARGEST = 4 * 1024 * 1024
"""Bytes of an answer that are read at most."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One that may be called: scheme, host or ``*.`` and a domain, port; for all sellers, or for one alone."""

    scheme: str
    host: str
    port: int
    seller: str | None = None

    @classmethod
    def read(cls, raw: str) -> "Entry":
        """Read an entry like ``https://identity.example:5000``, ``https://*.clouds.example``, ``oxbow=https://...``.

        Raises:
            Invalid: it is no such thing.
        """
        seller, equals, rest = raw.partition("=")
        if equals and "/" not in seller:
            return replace(cls.read(rest), seller=seller.strip())
        try:
            parts = urlsplit(raw)
            port = parts.port or {"https": 443, "http": 80}.get(parts.scheme, 0)
        except ValueError:
            port = 0
        if not port or not parts.hostname or parts.path.strip("/") or parts.query or parts.username:
            raise Invalid(
                f"'{raw[:100]}' is no address to be called; write https://HOST or https://HOST:PORT",
                field="GRADUMEN_OUTBOUND",
                value=raw,
            )
        return cls(parts.scheme, parts.hostname.lower(), port)

    def lets(self, scheme: str, host: str, port: int) -> bool:
        """Whether it stands for an address."""
        same = self.host == host or (self.host.startswith("*.") and host.endswith(self.host[1:]))
        return same and (scheme, port) == (self.scheme, self.port)


@cache
def _trusted() -> ssl.SSLContext:
    """Whom to believe, read once: that takes longer than most calls."""
    return httpx.create_ssl_context()


class Door:
    """Calls what the operator listed, and nothing else."""

    def __init__(self, listed: Iterable[str], *, seconds: float = CALL_SECONDS) -> None:
        """``seconds`` is the longest that one call may take."""
        self.entries = tuple(Entry.read(each.strip()) for each in listed if each.strip())
        self.seconds, self.seller = seconds, ""

    def of(self, seller: str) -> "Door":
        """The same for a seller, to which what is listed for it alone is open too."""
        found = copy(self)
        found.seller = seller
        return found

    def check(self, address: str, field: str) -> None:
        """Check that an address may be called.

        Raises:
            Invalid: it is none, or the operator did not list it.
        """
        self._entry(address, field)

    def _entry(self, address: str, field: str) -> Entry:
        try:
            parts = urlsplit(address)
            port = parts.port or {"https": 443, "http": 80}.get(parts.scheme, 0)
        except ValueError:
            port = 0
        if not port or not parts.hostname or parts.username:
            raise Invalid(f"'{address[:100]}' is no address like https://HOST/PATH", field=field, value=address)
        for each in self.entries:
            if each.seller in (None, self.seller) and each.lets(parts.scheme, parts.hostname.lower(), port):
                return each
        raise Invalid(
            f"{parts.scheme}://{parts.hostname}:{port} is not among what the operator lets be called; "
            "it has to be added to GRADUMEN_OUTBOUND",
            field=field,
            value=address,
        )

    def client(self, address: str, **headers: str) -> "Outside":
        """A client of one address; it follows no redirect and takes no proxy from the environment.

        Raises:
            Invalid: the operator did not list it.
        """
        backend = _CheckedBackend(self._entry(address, "endpoint"), _Deadline())
        transport = httpx.HTTPTransport(verify=_trusted(), retries=0)
        transport._pool = httpcore.ConnectionPool(  # httpx has no way to give the backend
            ssl_context=_trusted(), network_backend=backend, max_connections=2
        )
        return Outside(
            deadline=backend.deadline,
            seconds=self.seconds,
            base_url=address,
            transport=transport,
            headers=headers,
            timeout=self.seconds,
            follow_redirects=False,
            trust_env=False,
        )


class _Deadline:
    """When the call that is under way has to be over, by the monotonic clock."""

    ends = float("inf")

    def left(self, wanted: float | None) -> float:
        """Seconds that are left, at most those wanted."""
        left = self.ends - time.monotonic()
        if left <= 0:
            raise httpcore.ReadTimeout("it took longer than a call may")
        return left if wanted is None else min(wanted, left)


class Outside(httpx.Client):
    """A client of one address, each of whose calls is over in time, however little of it comes at a time."""

    def __init__(self, *, deadline: _Deadline, seconds: float, **options: Any) -> None:
        super().__init__(**options)
        self._deadline, self._seconds = deadline, seconds

    def begin(self) -> None:
        """From now on a call may take as long as one may."""
        self._deadline.ends = time.monotonic() + self._seconds


class _TimedStream(httpcore.NetworkStream):
    """A connection on which nothing is waited for beyond the call's end."""

    def __init__(self, stream: httpcore.NetworkStream, deadline: _Deadline) -> None:
        self._stream, self._deadline = stream, deadline

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        return self._stream.read(max_bytes, self._deadline.left(timeout))

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._stream.write(buffer, self._deadline.left(timeout))

    def close(self) -> None:
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        made = self._stream.start_tls(ssl_context, server_hostname, self._deadline.left(timeout))
        return _TimedStream(made, self._deadline)

    def get_extra_info(self, info: str) -> Any:
        return self._stream.get_extra_info(info)


class _CheckedBackend(httpcore.SyncBackend):
    """Looks the name up, and connects to an address that is fit only."""

    def __init__(self, entry: Entry, deadline: _Deadline) -> None:
        self.entry, self.deadline = entry, deadline

    def connect_tcp(self, host: str, port: int, *args: Any, **kwargs: Any) -> httpcore.NetworkStream:
        try:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except OSError as error:
            raise httpcore.ConnectError(f"{host} is not known") from error
        for *_, place in found:
            address = str(place[0])
            if fit(address, self.entry):
                return _TimedStream(super().connect_tcp(address, port, *args, **kwargs), self.deadline)
        raise httpcore.ConnectError(f"{host} leads to no address that may be called")


def fit(address: str, entry: Entry) -> bool:
    """Whether an address behind a name may be connected to.

    What is named in full may lead into networks of one's own; to this machine leads only what names it. What stands
    for a whole domain leads to public addresses. Nothing leads to what only a neighbour has.

    >>> named, domain = Entry("https", "id.example", 443), Entry("https", "*.example", 443)
    >>> fit("10.0.0.7", named), fit("10.0.0.7", domain), fit("169.254.169.254", named), fit("127.0.0.1", named)
    (True, False, False, False)
    """
    found = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(found, ipaddress.IPv6Address) and found.ipv4_mapped:
        found = found.ipv4_mapped
    if found.is_link_local or found.is_multicast or found.is_unspecified:
        return False
    if found.is_loopback:
        return entry.host in ("localhost", "127.0.0.1", "::1")
    return found.is_global or not entry.host.startswith("*.")


def call(client: Outside, method: str, path: str, *, largest: int = LARGEST, **options: Any) -> httpx.Response:
    """Call, and read an answer of bounded size in bounded time.

    Raises:
        Unavailable: no answer in time, or one that says to come back.
        Invalid: it leads elsewhere, or the answer is too large.
    """
    client.begin()
    try:
        with client.stream(method, path, **options) as answer:
            body = bytearray()
            for part in answer.iter_bytes():
                body += part
                if len(body) > largest:
                    raise Invalid(f"its answer is larger than {largest} bytes", field="endpoint")
    except httpx.HTTPError as error:
        raise Unavailable(f"it does not answer ({type(error).__name__})") from error
    if answer.is_redirect:
        raise Invalid("it leads elsewhere; enter the address that it leads to", field="endpoint")
    if answer.status_code >= 500 or answer.status_code == 429:
        raise Unavailable(f"it answered {answer.status_code}")
    return httpx.Response(answer.status_code, headers=_plain(answer.headers), content=bytes(body))


class Patience:
    """How long many calls may take together: what tells ever more, ever so slowly, keeps nothing else waiting."""

    def __init__(self, seconds: float, what: str) -> None:
        self._ends, self._told = time.monotonic() + seconds, f"{what} were not told within {seconds / 60:g} minutes"

    def check(self) -> None:
        """Go on.

        Raises:
            Unavailable: the time is over.
        """
        if time.monotonic() > self._ends:
            raise Unavailable(self._told)


def json_object(answer: httpx.Response, **options: Any) -> dict[str, Any] | None:
    """The JSON object of an answer, read with options of `json.loads`; None where it is something else."""
    try:
        found = answer.json(**options)
    except ValueError:
        return None
    return found if isinstance(found, dict) else None


def _plain(headers: httpx.Headers) -> dict[str, str]:
    """Without how the body was packed, which it is not any more."""
    return {name: value for name, value in headers.items() if name not in ("content-encoding", "content-length")}
