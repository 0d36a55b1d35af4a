"""The description of the interface (OpenAPI 3.1), made true where the framework alone is vague."""

from threading import Lock
from typing import Any

from fastapi import APIRouter, FastAPI, Request
from fastapi.dependencies.models import Dependant
from fastapi.responses import JSONResponse, Response
from fastapi.routing import APIRoute

from gradumen.api.calls import SESSION, get_caller

PROBLEM = "application/problem+json"
_METHODS = ("get", "put", "post", "patch", "delete")
_TOKEN, _SESSION, _CSRF = "token", "session", "csrf"
_SCHEMES = {
    _TOKEN: {"type": "http", "scheme": "bearer", "description": "A program's token"},
    _SESSION: {"type": "apiKey", "in": "cookie", "name": SESSION, "description": "A console session"},
    _CSRF: {
        "type": "apiKey",
        "in": "header",
        "name": "X-CSRF-Token",
        "description": "The session's `csrf`, with every call that changes something",
    },
}


_REFUSAL = {"$ref": "#/components/schemas/Problem"}


class Pdf(Response):
    """A PDF."""

    media_type = "application/pdf"


class Yaml(Response):
    """A YAML text."""

    media_type = "application/yaml"


def routes_of(router: APIRouter) -> list[APIRoute]:
    """The operations of a router."""
    return [route for route in router.routes if isinstance(route, APIRoute)]


router = APIRouter()


@router.get("/api/openapi.json", include_in_schema=False)
def read_openapi(request: Request) -> JSONResponse:
    """The description of the interface: made when it is first asked for, beside what else is asked."""
    return JSONResponse(request.app.openapi())


def describe(app: FastAPI, routes: list[tuple[str, APIRoute]]) -> None:
    """Let the application describe itself with its security schemes and the content types that it answers with."""
    made = app.openapi
    signed_in = {
        (path, method.lower()) for path, route in routes for method in route.methods or () if _asks(route.dependant)
    }

    lock = Lock()

    def openapi() -> dict[str, Any]:
        # Made once, and by nobody seen half made.
        with lock:
            if app.openapi_schema is None:
                found = made()
                found.setdefault("components", {})["securitySchemes"] = _SCHEMES
                for path, operations in found["paths"].items():
                    for method in _METHODS:
                        if method in operations:
                            _mend(operations[method], method, signed_in=(path, method) in signed_in)
            return app.openapi_schema or {}

    app.openapi = openapi  # type: ignore[method-assign]  # as the framework's guide has it


def _asks(dependant: Dependant) -> bool:
    """Whether the caller is asked for, by the route itself or what it depends on."""
    return dependant.call is get_caller or any(_asks(each) for each in dependant.dependencies)


def _mend(operation: dict[str, Any], method: str, *, signed_in: bool) -> None:
    by_cookie: dict[str, list[str]] = {_SESSION: []} if method == "get" else {_SESSION: [], _CSRF: []}
    operation["security"] = [{_TOKEN: []}, by_cookie] if signed_in else []
    if "default" in operation["responses"]:
        operation["responses"]["default"]["content"] = {PROBLEM: {"schema": _REFUSAL}}
    for response in operation["responses"].values():
        for media, content in response.get("content", {}).items():
            if media == Pdf.media_type:
                content["schema"] = {"type": "string", "contentMediaType": media}
            elif media == Yaml.media_type:
                content["schema"] = {"type": "object", "description": "A form of docs/formats.md"}
