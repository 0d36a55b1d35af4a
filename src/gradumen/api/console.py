"""The built console: hashed assets for ever, the page itself afresh with a strict content policy."""

from pathlib import Path

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, HTMLResponse, Response
from starlette.exceptions import HTTPException

router = APIRouter(include_in_schema=False)
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)
SECURITY = {"X-Content-Type-Options": "nosniff", "Referrer-Policy": "same-origin", "Content-Security-Policy": POLICY}
_MISSING = "<!doctype html><title>Gradumen</title><p>The console is not built; run scripts/setup."


@router.get("/{path:path}")
def serve(path: str, request: Request) -> Response:
    """A file of the console, or its page for any address that a person may type."""
    root: Path = request.app.state.settings.console.resolve()
    if path.startswith("api/"):
        raise HTTPException(404, "there is nothing at this address")
    found = _file(root, path)
    if found is not None:
        kept = "public, max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
        return FileResponse(found, headers={**SECURITY, "Cache-Control": kept})
    if path.startswith("assets/") or "." in path.rsplit("/", 1)[-1]:
        raise HTTPException(404, "there is nothing at this address")
    page = root / "index.html"
    content = page.read_text() if page.exists() else _MISSING
    return HTMLResponse(content, headers={**SECURITY, "Cache-Control": "no-cache"})


def _file(root: Path, path: str) -> Path | None:
    """The file of that path, if it is one below the root; a path may be anything that somebody sends."""
    try:
        found = (root / path).resolve()
        return found if path and found.is_file() and found.is_relative_to(root) else None
    except (ValueError, OSError):
        return None
