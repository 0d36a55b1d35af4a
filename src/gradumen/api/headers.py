"""Headers that every answer carries, whatever made it."""

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

YEAR = 31_536_000


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
