"""Limits on request bodies: their size, also when they do not say it, and the time that they take to come."""

import asyncio

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gradumen.api.problems import of_error
from gradumen.core.errors import TooLarge, TooSlow


class BodyLimit:
    """Takes a body whole before anything else sees it, within a size and a time."""

    def __init__(self, app: ASGIApp, most: int, seconds: float) -> None:
        self.app, self.most, self.seconds = app, most, seconds

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        try:
            async with asyncio.timeout(self.seconds):
                body = await self._read(scope, receive)
        except TimeoutError:
            late = TooSlow(
                f"the body did not come within {self.seconds:g} seconds; send it again", seconds=self.seconds
            )
            await of_error(late)(scope, receive, send)
            return
        except TooLarge as error:
            await of_error(error)(scope, receive, send)
            return
        if body is None:
            return
        handed = False

        async def taken() -> Message:
            nonlocal handed
            if handed:
                return await receive()
            handed = True
            return {"type": "http.request", "body": body, "more_body": False}

        await self.app(scope, taken, send)

    async def _read(self, scope: Scope, receive: Receive) -> bytes | None:
        """The body; None when its sender went away.

        Raises:
            TooLarge: more than may be sent.
        """
        length = dict(scope["headers"]).get(b"content-length", b"0")
        if length.isdigit() and int(length) > self.most:
            raise self._too_large()
        pieces: list[bytes] = []
        seen = 0
        while True:
            message = await receive()
            if message["type"] == "http.disconnect":
                return None
            pieces.append(message.get("body", b""))
            seen += len(pieces[-1])
            if seen > self.most:
                raise self._too_large()
            if not message.get("more_body", False):
                return b"".join(pieces)

    def _too_large(self) -> TooLarge:
        return TooLarge(f"a body has at most {self.most} bytes; send it in parts", most=self.most)
