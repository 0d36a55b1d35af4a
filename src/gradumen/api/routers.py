"""The routers of operations: each says at once whether a path can be one of its own."""

import re
from re import Pattern
from typing import Any

from fastapi import APIRouter
from fastapi.routing import APIRoute
from starlette.routing import Match, compile_path
from starlette.types import Scope

from gradumen.api.bodies import StrictRoute

PREFIX = "/api/v1"
"""Where all operations are."""
_NAMED = re.compile(r"\?P<\w+>")


class Router(APIRouter):
    """Operations that belong together, under `PREFIX`.

    Routers are asked one after another, and each would try its routes one by one, which cost more than many an answer.
    """

    def __init__(self, **more: Any) -> None:
        super().__init__(route_class=StrictRoute, **more)
        self._paths: Pattern[str] | None = None

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        """Whether one of the routes is meant, which are looked at where the path is like one of theirs."""
        if self._paths is None:
            patterns = (compile_path(route.path)[0] for route in self.routes if isinstance(route, APIRoute))
            self._paths = re.compile("|".join(_NAMED.sub("?:", each.pattern) for each in patterns))
        if not self._paths.match(scope["path"].removeprefix(PREFIX)):
            return Match.NONE, {}
        return super().matches(scope)
