"""How routes read JSON bodies: strictly (`wire.strict_json`)."""

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from gradumen.wire.strict_json import read_json


class StrictRequest(Request):
    """A request whose JSON means one thing."""

    async def json(self) -> Any:
        """The body's JSON.

        Raises:
            Invalid: see `read_json`.
        """
        return read_json(await self.body())


class StrictRoute(APIRoute):
    """A route whose body is read by `StrictRequest`."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The handler, which makes the strict request of each."""
        handle = super().get_route_handler()

        async def strict(request: Request) -> Response:
            return await handle(StrictRequest(request.scope, request.receive))

        return strict
