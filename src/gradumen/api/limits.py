"""A limit on request bodies, also on those that do not say their length."""

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gradumen.api.problems import of_error
from gradumen.core.errors import TooLarge


class BodyLimit:
    """Refuses bodies above a size before they are held in memory."""

    def __init__(self, app: ASGIApp, most: int) -> None:
        self.app, self.most = app, most

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        length = headers.get(b"content-length", b"0")
        error = TooLarge(f"a body has at most {self.most} bytes; send it in parts", most=self.most)
        if length.isdigit() and int(length) > self.most:
            await of_error(error)(scope, receive, send)
            return
        seen = 0

        async def counted() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            if seen > self.most:
                raise error
            return message

        await self.app(scope, counted, send)
