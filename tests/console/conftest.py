"""A tab of a real browser that fails its test on any error."""

import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any
from urllib.parse import urlparse

import pytest
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Locator, Page, Request, expect

from gradumen.client import Client
from tests.conftest import Begin
from tests.world import EMAILS, PASSWORD, World, egress, reading

AXE = Path(__file__).parents[2] / "console" / "node_modules" / "axe-core" / "axe.min.js"
# No page takes that long; a machine that stalls may.
expect.set_options(timeout=20_000)


class Tab:
    """A page that fails its test on any error or request that leaves this machine."""

    def __init__(self, page: Page, url: str) -> None:
        self.page, self.url = page, url
        self.errors: list[str] = []
        self.expected: list[str] = []
        page.on("console", self._said)
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        self.under_way: set[Request] = set()
        self.settled = 0.0
        """When it was last seen that nothing was under way."""
        page.on("request", self._begun)
        page.on("requestfinished", lambda request: self.under_way.discard(request))
        page.on("requestfailed", lambda request: self.under_way.discard(request))

    def _said(self, message: ConsoleMessage) -> None:
        if message.type == "error":
            self.errors.append(f"{message.text} {message.location['url']}")

    def _begun(self, request: Request) -> None:
        self._local(request.url)
        self.under_way.add(request)

    def _local(self, address: str) -> None:
        if urlparse(address).hostname not in ("127.0.0.1", None):
            self.errors.append(f"request to {address}")

    def go(self, path: str, heading: str) -> None:
        """To a page: where the console is open already as by one of its links, else by its address."""
        if self.page.get_by_role("navigation").count():
            self.show(path)
        else:
            self.page.goto(self.url + path)
        expect(self.page.get_by_role("heading", name=heading, level=1)).to_be_visible()
        self.settle()

    def show(self, path: str) -> None:
        """To a page, as by one of the console's links."""
        self.page.evaluate(
            "to => { history.pushState({}, '', to); dispatchEvent(new PopStateEvent('popstate')) }", path
        )

    def day(self, label: str, day: str, where: Locator | None = None) -> None:
        """Type a day into a field of one, over what is there; no day empties it."""
        field = (where or self.page).get_by_role("group", name=label)
        field.click()
        self.page.keyboard.press("Control+a")
        if day:
            self.page.keyboard.type(day.replace("-", ""))
        else:
            self.page.keyboard.press("Backspace")

    def settle(self) -> None:
        """Until nothing has been asked of the service for a moment; at once where that was just waited for."""
        quiet = 0
        while quiet < 3 and (self.under_way or time.monotonic() > self.settled + 0.02):
            self.page.wait_for_timeout(25)
            quiet = 0 if self.under_way else quiet + 1
        self.settled = time.monotonic()

    def sign_in(self, user: str) -> None:
        """As the form does it, without one: no page is open yet."""
        with closing(Client(self.url)) as client:
            client.sign_in(EMAILS[user], PASSWORD)
            cookies = dict(client.connection.http.cookies)
        self.page.context.add_cookies([{"name": each, "value": cookies[each], "url": self.url} for each in cookies])
        # The least page of the service, whose storage the console shares.
        self.page.goto(self.url + "/healthz")
        self.page.evaluate("localStorage.setItem('gradumen.signed-in', 'yes')")

    def sign_in_by_form(self, user: str) -> None:
        """By e-mail address and password; the first page is open then."""
        self.page.goto(self.url + "/")
        self.page.get_by_label("E-mail address").fill(EMAILS[user])
        self.page.get_by_label("Password").fill(PASSWORD)
        self.page.get_by_role("button", name="Sign in").click()
        expect(self.page.get_by_role("heading", name="so far", level=1)).to_be_visible()

    def sign_out(self) -> None:
        """By its button, once nothing is being asked, until whoever comes next may sign in."""
        self.settle()
        self.page.get_by_role("button", name="Sign out").click()
        expect(self.page.get_by_role("button", name="Sign in")).to_be_visible()

    def accessible(self, within: str | None = None, *, dark: bool = False) -> None:
        """No violation of the accessibility rules, on the page as it stands.

        Args:
            within: looks at this part only, by its selector; what is around it was looked at by itself.
            dark: looks at the colours of the other theme too.
        """
        self.settle()
        if not self.page.evaluate("() => 'axe' in window"):
            self.page.evaluate(AXE.read_text())
        self._violations(within)
        if dark:
            self.page.emulate_media(color_scheme="dark")
            self._violations(within, ", runOnly: ['color-contrast']")
            self.page.emulate_media(color_scheme="light")

    def _violations(self, within: str | None, rules: str = "") -> None:
        # Fading in, a dialog has colours that it does not keep. What moves with scrolling never ends.
        found: list[dict[str, Any]] = self.page.evaluate(
            "async within => {"
            "  const frame = () => new Promise(done => requestAnimationFrame(done));"
            "  const moves = each => each.playState === 'running' && each.timeline === document.timeline;"
            "  await frame();"
            "  do await frame(); while (document.getAnimations().some(moves));"
            "  const found = await axe.run(within ? {include: [[within]]} : document, "
            f"{{resultTypes: ['violations'], selectors: false{rules}}});"
            "  return found.violations;"
            "}",
            within,
        )
        assert [(each["id"], [node["html"][:150] for node in each["nodes"]]) for each in found] == []


@pytest.fixture(scope="session")
def opened(browser: Browser) -> Iterator[BrowserContext]:
    """A browser that knows the console's files already, in the light theme."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, color_scheme="light", reduced_motion="reduce"
    )
    yield context
    context.close()


@pytest.fixture
def tab(opened: BrowserContext, world: World) -> Iterator[Tab]:
    """A tab of a browser in which nobody ever signed in."""
    made = Tab(opened.new_page(), world.url)
    yield made
    # First, for what is still being asked would be refused without the cookies.
    for page in opened.pages:
        page.goto("about:blank")
    session = opened.new_cdp_session(made.page)
    session.send("Storage.clearDataForOrigin", {"origin": world.url, "storageTypes": "local_storage,cookies"})
    opened.clear_cookies()
    for page in opened.pages:
        page.close()
    unexpected = [error for error in made.errors if not any(each in error for each in made.expected)]
    assert unexpected == []


@pytest.fixture
def month(world: World, begin: Begin) -> World:
    """The world with usage in September and October."""

    def make() -> None:
        events = []
        for day in range(1, 25):
            for machine, owner in (("b-1", "saltmarsh/booking"), ("q-1", "quillstone/archive")):
                span = {
                    "start": f"2026-09-{day:02d}T00:00:00Z",
                    "end": f"2026-09-{day:02d}T20:00:00Z",
                    "owner": owner,
                    "resource": machine,
                }
                events += [reading(f"{machine}-{day}", **span), egress(f"{machine}-{day}-e", 9 * 10**9, **span)]
        span = {"start": "2026-10-02T00:00:00Z", "end": "2026-10-02T20:00:00Z"}
        world.send(*events, reading("october", **span), reading("october-q", owner="quillstone/archive", **span))

    begin(make)
    return world
