"""One HTTP connection to the service: credentials, refusals as errors, typed answers."""

import time
from collections.abc import Callable, Mapping
from functools import cache
from ssl import SSLContext
from typing import Any, TypeVar
from uuid import uuid4

import httpx

from gradumen.core.errors import GradumenError, NotSignedIn, error_class
from gradumen.wire.access.sessions import SessionBody
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, Page

B = TypeVar("B", bound=Body)
Current = TypeVar("Current", bound=AsOf)


class ServiceUnreachable(GradumenError):
    """The service does not answer at its address."""

    code = "service_unreachable"


@cache
def _trusted() -> SSLContext:
    """Whom to believe, read once: that takes longer than most calls."""
    return httpx.create_ssl_context(trust_env=False)


class Connection:
    """Calls the service with a token, or with the session of a password."""

    def __init__(
        self, url: str, token: str | None, *, timeout: float, transport: httpx.BaseTransport | None = None
    ) -> None:
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self.url = url.rstrip("/")
        self.http = httpx.Client(
            base_url=f"{self.url}/api/v1/",
            headers=headers,
            timeout=timeout,
            transport=transport,
            trust_env=False,
            verify=_trusted(),
        )

    def sign_in(self, email: str, password: str, code: str | None = None) -> SessionBody:
        """Begin a session of a user.

        Raises:
            SecondFactorNeeded: the password is right; send the code of the user's second factor too.
            NotSignedIn: wrong address, password or code.
            SlowDown: too many failures.
        """
        session = self.post("session", SessionBody, {"email": email, "password": password, "code": code})
        self.http.headers["X-CSRF-Token"] = session.csrf or ""
        return session

    def send(self, method: str, path: str, **options: Any) -> httpx.Response:
        """Call and give the answer of a success.

        Raises:
            GradumenError: the class that the service refused with.
            ServiceUnreachable: no answer.
        """
        try:
            response = self.http.request(method, path, **options)
        except httpx.TransportError as error:
            raise ServiceUnreachable(
                f"no answer from {self.url} ({error}); is the service running there?", url=self.url
            ) from error
        if response.is_success:
            return response
        raise self._refusal(response)

    def _refusal(self, response: httpx.Response) -> GradumenError:
        if response.headers.get("content-type", "").startswith("application/problem+json"):
            body = response.json()
            return error_class(body["code"]).rebuilt(body["detail"], body["facts"])
        if response.status_code == 401:
            return NotSignedIn("sign in first")
        return GradumenError(f"{response.status_code} from {response.url}", status=response.status_code)

    def get(self, path: str, kind: type[B], /, **query: Any) -> B:
        """One thing."""
        return kind.model_validate_json(self.send("GET", path, params=_query(query)).content)

    def get_file(self, path: str, /, **query: Any) -> bytes:
        """A file, whole."""
        return self.send("GET", path, params=_query(query)).content

    def get_current(self, path: str, kind: type[Current], /, *, wait: float, **query: Any) -> Current:
        """One thing that says how current it is; asked again while something waits, for some seconds at most."""
        return ask_until(lambda: self.get(path, kind, **query), lambda answer: not answer.waiting, wait)

    def page(self, path: str, kind: type[B], /, **query: Any) -> Page[B]:
        """One page of a list."""
        return self.get(path, Page[kind], **query)  # type: ignore[valid-type]  # a page of that kind, at run time

    def all(self, path: str, kind: type[B], /, **query: Any) -> list[B]:
        """A whole list, page by page."""
        return self.all_of(path, Page[kind], **query)  # type: ignore[valid-type]  # a page of that kind, at run time

    def all_of(self, path: str, pages: type[Page[B]], /, **query: Any) -> list[B]:
        """A whole list whose pages are of a type that says more than the items."""
        found: list[B] = []
        after: str | None = None
        while True:
            page = self.get(path, pages, **query, after=after)
            found += page.items
            if page.next is None:
                return found
            after = page.next

    def post(
        self, path: str, kind: type[B], body: Body | Mapping[str, Any] | None = None, *, key: str | None = None
    ) -> B:
        """Make something; with an Idempotency-Key of the caller's own the call can be repeated later.

        Every call has a key, so that the service can repeat it when its database does not answer.
        """
        return kind.model_validate_json(self._write("POST", path, body, key or str(uuid4())).content)

    def act(self, path: str, body: Body) -> None:
        """Do something that has no answer."""
        self._write("POST", path, body, str(uuid4()))

    def set(self, path: str, body: Body) -> None:
        """Set something of which nothing is told."""
        self._write("PUT", path, body, None)

    def put(self, path: str, kind: type[B], body: Body) -> B:
        """Set something."""
        return kind.model_validate_json(self._write("PUT", path, body, None).content)

    def patch(self, path: str, kind: type[B], body: Body) -> B:
        """Change something."""
        return kind.model_validate_json(self._write("PATCH", path, body, None).content)

    def delete(self, path: str) -> None:
        """Remove something."""
        self.send("DELETE", path)

    def _write(self, method: str, path: str, body: Body | Mapping[str, Any] | None, key: str | None) -> httpx.Response:
        headers = {"Idempotency-Key": key} if key else {}
        content = body.model_dump(mode="json") if isinstance(body, Body) else body
        return self.send(method, path, json=content, headers=headers)


def ask_until(ask: Callable[[], B], is_over: Callable[[B], bool], seconds: float) -> B:
    """Ask again and again, ever more slowly, until an answer says that it is over, or the time is."""
    deadline, pause = time.monotonic() + seconds, 0.02
    while True:
        answer = ask()
        if is_over(answer) or time.monotonic() > deadline:
            return answer
        time.sleep(pause)
        pause = min(2 * pause, 0.5)


def _query(query: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in query.items() if value is not None}
