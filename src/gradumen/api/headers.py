"""What holds of every call, whatever answers it: its host, its method HEAD, and headers of the answer."""

from collections.abc import Collection

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gradumen.api.problems import problem

YEAR = 31_536_000
PROBES = ("/healthz", "/readyz")


class SafeHeaders:
    """No guessing of types, nothing of the interface kept by caches, and only TLS where cookies ask for it."""

    def __init__(self, app: ASGIApp, *, secure: bool) -> None:
        self.app, self.secure = app, secure

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a call on, and add the headers to its answer."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.setdefault("X-Content-Type-Options", "nosniff")
                if scope["path"].startswith("/api/"):
                    headers.setdefault("Cache-Control", "no-store")
                if self.secure:
                    headers.setdefault("Strict-Transport-Security", f"max-age={YEAR}; includeSubDomains")
            await send(message)

        await self.app(scope, receive, with_headers)


class HeadAsGet:
    """Answers HEAD as GET without its content (RFC 9110, 9.3.2)."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a call on, and keep the content of an answer to HEAD back."""
        if scope["type"] != "http" or scope["method"] != "HEAD":
            await self.app(scope, receive, send)
            return

        async def without_content(message: Message) -> None:
            if message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        await self.app({**scope, "method": "GET"}, receive, without_content)


class KnownHosts:
    """Answers only calls that name one of the service's hosts, so that no other page's name leads here."""

    def __init__(self, app: ASGIApp, *, hosts: Collection[str]) -> None:
        self.app, self.hosts = app, frozenset(each.lower() for each in hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a call on, or refuse its host; probes come by any name."""
        if scope["type"] == "http" and scope["path"] not in PROBES:
            host = _name(Headers(scope=scope).get("host", ""))
            if host not in self.hosts:
                detail = f"this service has no host '{host[:80]}'; its operator lists the hosts in GRADUMEN_HOSTS"
                await problem(421, "Another host", detail, "unknown_host", {"host": host[:80]})(scope, receive, send)
                return
        await self.app(scope, receive, send)


def _name(host: str) -> str:
    """A Host header without its port.

    >>> _name("[::1]:8470"), _name("clouds.example:443"), _name("clouds.example")
    ('::1', 'clouds.example', 'clouds.example')
    """
    if host.startswith("["):
        return host[1:].partition("]")[0].lower()
    return host.partition(":")[0].lower()
