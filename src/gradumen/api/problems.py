"""Refusals as problem details (RFC 9457); the only place that knows HTTP statuses."""

import logging
from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from gradumen.core import errors
from gradumen.store.unit_of_work import DATABASE_ERRORS, is_passing

log = logging.getLogger("gradumen.api")

STATUSES: tuple[tuple[type[errors.GradumenError], int, str], ...] = (
    (errors.NotSignedIn, 401, "Not signed in"),
    (errors.Forbidden, 403, "Not allowed"),
    (errors.NotFound, 404, "Not found"),
    (errors.EditedMeanwhile, 412, "Changed meanwhile"),
    (errors.TooSlow, 408, "Too slow"),
    (errors.TooLarge, 413, "Too large"),
    (errors.WrongMediaType, 415, "Content type not read here"),
    (errors.SlowDown, 429, "Too many attempts"),
    (errors.Busy, 429, "Too much at once"),
    (errors.Unavailable, 503, "Not available just now"),
    (errors.Unanswered, 503, "Not known whether it was done"),
    (errors.Conflict, 409, "Does not fit the present state"),
    (errors.Invalid, 422, "Not valid"),
    (errors.GradumenError, 500, "Failed"),
)


def problem(
    status: int, title: str, detail: str, code: str, facts: dict[str, Any], more: Mapping[str, str] | None = None
) -> JSONResponse:
    """A problem details response, with ``more`` headers."""
    headers = dict(more or {})
    if status == 408:
        headers["Connection"] = "close"
    if status == 401:
        headers["WWW-Authenticate"] = "Bearer"
    if "retry_after_seconds" in facts:
        headers["Retry-After"] = str(facts["retry_after_seconds"])
    body = {
        "type": f"urn:gradumen:problem:{code}",
        "title": title,
        "status": status,
        "detail": detail,
        "code": code,
        "facts": facts,
    }
    return JSONResponse(body, status, headers, media_type="application/problem+json")


def of_error(error: errors.GradumenError) -> JSONResponse:
    """The response of a refusal of the product."""
    status, title = next((status, title) for kind, status, title in STATUSES if isinstance(error, kind))
    return problem(status, title, error.message, error.code, error.facts)


def install(app: FastAPI) -> None:
    """Answer every refusal and failure with problem details."""

    @app.exception_handler(errors.GradumenError)
    async def refused(_: Request, error: errors.GradumenError) -> JSONResponse:
        return of_error(error)

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        path = ".".join(str(each) for each in first["loc"] if each not in ("body", "query", "path", "header"))
        detail = f"{path or 'the body'}: {first['msg'].removeprefix('Value error, ')}"
        if first["type"] == "json_invalid":
            detail = f"the body is not JSON: {first.get('ctx', {}).get('error', '')}"
        return problem(422, "Not valid", detail, "invalid", {"field": path, "problems": len(error.errors())})

    @app.exception_handler(HTTPException)
    async def other(_: Request, error: HTTPException) -> JSONResponse:
        if isinstance(error.__cause__, errors.GradumenError):
            return of_error(error.__cause__)  # What reading a body found, which the framework wraps.
        codes = {404: "not_found", 405: "method_not_allowed"}
        code = codes.get(error.status_code, "error")
        headers = dict(error.headers or {})
        if "GET" in headers.get("Allow", ""):
            headers["Allow"] += ", HEAD"
        return problem(error.status_code, str(error.detail), str(error.detail), code, {}, headers)

    async def unavailable(request: Request, error: Exception) -> JSONResponse:
        if not is_passing(error):
            return await failed(request, error)
        log.error("%s %s: the database does not serve", request.method, request.url.path, exc_info=error)
        return of_error(errors.Unavailable())

    for kind in DATABASE_ERRORS:
        app.add_exception_handler(kind, unavailable)

    @app.exception_handler(Exception)
    async def failed(request: Request, error: Exception) -> JSONResponse:
        log.error("%s %s failed", request.method, request.url.path, exc_info=error)
        return problem(500, "Failed", "this failed inside the service; it is in the service's log", "error", {})
