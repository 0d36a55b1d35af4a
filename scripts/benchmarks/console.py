"""Every page of the standard demo, warm, in a browser: as the provider, a reseller and a tenant open them.

A page is there when it was last changed, once nothing is asked of the service and nothing changes any more. Pages are
found by following links, until each of the console's routes that a user is led to was open once.
"""

import re
import statistics
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, sync_playwright

from gradumen.client import Client
from gradumen.demo.__main__ import Service
from gradumen.demo.history import CLOSED_MONTHS, Calendar, History
from gradumen.demo.scenario import PASSWORD

AS_OF = datetime(2026, 11, 18, 12, tzinfo=UTC)
READERS = {"provider": "mara@tarnwick.example", "reseller": "edda@oxbow.example", "tenant": "lotte@gannet.example"}
ROUTES = re.findall(r'<Route path="(/[^"]*)"', (Path(__file__).parents[2] / "console/src/app/App.tsx").read_text())
QUIET = 200
"""Milliseconds without any change after which a page is taken for finished."""
WATCH = """
(() => {
  let asked = 0, changed = 0;
  const ask = window.fetch;
  window.fetch = async (...what) => {
    asked++;
    try { return await ask(...what); } finally { asked--; changed = performance.now(); }
  };
  new MutationObserver(() => { changed = performance.now(); })
    .observe(document, {subtree: true, childList: true, characterData: true});
  window.open_page = to => {
    const began = changed = performance.now();
    history.pushState({}, '', to);
    dispatchEvent(new PopStateEvent('popstate'));
    return began;
  };
  window.finished = quiet => {
    const done = !asked && performance.now() - changed > quiet && document.querySelector('h1')
      && document.querySelector('h1').textContent !== 'Loading' && !document.querySelector('[aria-label=loading]');
    return done ? changed : null;
  };
})()
"""


def run(rows: int) -> dict[str, Any]:
    """Medians of so many visits of each page, by its address and by a link: of all pages the median and the slowest."""
    result: dict[str, Any] = {"rows": rows}
    with _demo() as service, sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
        )
        led_to: set[str] = set()
        for reader, email in READERS.items():
            with closing(Client(service.url)) as client:
                client.sign_in(email, PASSWORD)
                page = _signed_in(browser, client)
                # Rows of a list are no links.
                places = _places(page, service.url, f"/invoices/{client.invoices.list()[0].id}")
            led_to |= {_route(each) for each in places}
            ways = {"address": _by_address, "link": _by_link}
            result[f"{reader}_pages"] = len(places)
            for way, visit in ways.items():
                visits = [{to: visit(page, service.url, to) for to in places} for _ in range(rows)]
                taken = {to: statistics.median(each[to] for each in visits) for to in places}
                slowest = sorted(taken, key=taken.__getitem__, reverse=True)[:3]
                result[f"{reader}_by_{way}_seconds"] = statistics.median(taken.values())
                result[f"{reader}_by_{way}_slowest"] = ", ".join(f"{to} {taken[to]:.2f}" for to in slowest)
            page.context.close()
        browser.close()
    result["routes_without_a_link"] = ", ".join(sorted({*ROUTES} - led_to)) or "none"
    return result


@contextmanager
def _demo() -> Iterator[Service]:
    """The standard demo, with what its worker has to do done."""
    with tempfile.TemporaryDirectory(prefix="gradumen-bench-", dir="/var/tmp", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        service = Service(Path(folder), 18_490)
        try:
            service.start()
            outside = replace(service.outside, metrics=None)
            history = History(service.url, Calendar(AS_OF, CLOSED_MONTHS["standard"]), lambda _: None, outside)
            history.make((service.data / "set-up-code").read_text().strip())
            history.bill(history.calendar.closed[-1], issue=False)
            for email in READERS.values():
                client = history.signed_in(email)
                own = client.session().memberships[0].organisation
                client.spend.period_so_far(own, wait=600)
            yield service
        finally:
            service.stop()


def _signed_in(browser: Browser, client: Client) -> Page:
    """A page of a browser in which somebody is signed in."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    cookies, url = dict(client.connection.http.cookies), str(client.connection.http.base_url)
    context.add_cookies([{"name": name, "value": value, "url": url} for name, value in cookies.items()])
    context.add_init_script(WATCH + ";localStorage.setItem('gradumen.signed-in', 'yes')")
    return context.new_page()


def _places(page: Page, url: str, invoice: str) -> list[str]:
    """One address of each route that links lead to, and of each tab of an organisation."""
    found, ahead = {"/": "/", _route(invoice): invoice}, ["/", invoice]
    while ahead:
        _by_address(page, url, ahead.pop())
        links = page.eval_on_selector_all(
            "a[href^='/']:not([download])", "all => all.map(each => each.getAttribute('href'))"
        )
        for link in links:
            route = _route(link)
            key = f"{route} {link.partition('?')[0].rpartition('/')[2]}" if route.endswith(":tab") else route
            if route and key not in found:
                found[key] = link
                ahead.append(link)
    return sorted(found.values())


def _route(address: str) -> str:
    """The console's route that an address is of; nothing where it is none of these."""
    path = re.split("[?#]", address)[0]
    fits = [each for each in ROUTES if re.fullmatch(re.sub(":[a-z]+", "[^/]+", each), path)]
    return min(fits, key=lambda each: each.count(":"), default="")


def _by_address(page: Page, url: str, to: str) -> float:
    """Seconds from asking for the address until its page is there; the console itself starts anew."""
    page.goto(url + to)
    return _finished(page) / 1000


def _by_link(page: Page, url: str, to: str) -> float:
    """Seconds until a page is there that is opened from the one before."""
    began = page.evaluate("to => window.open_page(to)", to)
    return (_finished(page) - float(began)) / 1000


def _finished(page: Page) -> float:
    """When the page was last changed, in milliseconds of its own clock."""
    return float(page.wait_for_function("quiet => window.finished(quiet)", arg=QUIET, timeout=60_000).json_value())
