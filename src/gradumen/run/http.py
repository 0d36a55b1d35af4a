"""HTTP connections that are closed when they do not say in time what they ask."""

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol


class TimedHttp(HttpToolsProtocol):
    """Closes a connection whose request line and headers are not complete within ``header_seconds``."""

    header_seconds: float = 20

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._headers_due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]  # as the class above
        """Begin to wait for the first request."""
        super().connection_made(transport)
        self._wait()

    def on_message_begin(self) -> None:
        """Begin to wait for the headers of a request."""
        super().on_message_begin()
        self._wait()

    def on_headers_complete(self) -> None:
        """They are here."""
        self._stop()
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing is waited for any more."""
        self._stop()
        super().connection_lost(exc)

    def _wait(self) -> None:
        self._stop()
        self._headers_due = self.loop.call_later(self.header_seconds, self._close)

    def _stop(self) -> None:
        if self._headers_due is not None:
            self._headers_due.cancel()
            self._headers_due = None

    def _close(self) -> None:
        if not self.transport.is_closing():
            self.transport.close()
