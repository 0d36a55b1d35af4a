"""Makes the pictures of docs/screenshots: pages, a printed invoice, the command line."""

import io
import os
import subprocess
import sys
import tempfile
import time
from contextlib import redirect_stdout
from dataclasses import replace
from datetime import UTC, datetime
from html import escape
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from gradumen.cli.main import main as gradumen
from gradumen.demo.__main__ import Service
from gradumen.demo.history import CLOSED_MONTHS, Calendar, History
from gradumen.demo.scenario import PASSWORD

TARGET = Path("docs/screenshots")
AS_OF = datetime(2026, 11, 18, 12, tzinfo=UTC)
PORT = 18_480
ARGUMENTS = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--font-render-hinting=none",
)  # fmt: skip


def main() -> int:
    """Make the demo, then every picture."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="gradumen-shots-", dir="/var/tmp", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        service = Service(Path(folder), PORT)
        try:
            service.start()
            outside = replace(service.outside, metrics=None)
            history = History(service.url, Calendar(AS_OF, CLOSED_MONTHS["standard"]), print, outside)
            history.make((service.data / "set-up-code").read_text().strip())
            history.bill(history.calendar.closed[-1], issue=False)
            wait_for_watch(history)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path="/usr/bin/chromium-headless-shell", args=list(ARGUMENTS)
                )
                pages(browser, service.url, history)
                terminal(browser, service.url, Path(folder))
                browser.close()
        finally:
            service.stop()
    return 0


def wait_for_watch(history: History) -> None:
    """Until somebody looked at use beside limits, which is done each minute: the overview begins with what is over."""
    deadline = time.monotonic() + 180
    while not history.mara.breaches.list("tarnwick"):
        assert time.monotonic() < deadline, "nothing uses more than its limit"
        time.sleep(1)


def signed_in(browser: Browser, url: str, email: str, theme: str = "light") -> Page:
    """A page of a user."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, color_scheme="dark" if theme == "dark" else "light"
    )
    page = context.new_page()
    page.goto(url)
    page.get_by_label("E-mail address").fill(email)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="so far").wait_for()
    return page


def shoot(page: Page, url: str, name: str) -> None:
    """A picture of a page at rest."""
    if url:
        page.goto(url)
    page.wait_for_load_state("networkidle")
    page.get_by_role("heading", name="Loading", exact=True).wait_for(state="hidden")
    page.wait_for_timeout(500)
    page.screenshot(path=TARGET / f"{name}.png")
    print(f"{name}.png")


def pages(browser: Browser, url: str, history: History) -> None:
    """The console, as its different users see it."""
    page = signed_in(browser, url, "mara@tarnwick.example")
    shoot(page, f"{url}/", "overview")
    page.goto(f"{url}/organisations/oxbow/quotas")
    page.get_by_role("button", name="Change storage", exact=True).click()
    page.get_by_role("dialog").get_by_role("textbox", name="Limit, GiB", exact=True).fill("900000")
    page.get_by_role("button", name="Set the limit").click()
    page.get_by_role("alert").wait_for()
    shoot(page, "", "grant-refused")
    shoot(page, f"{url}/organisations", "organisations")
    draft(page, url, history)
    page.goto(f"{url}/estimate?for=kestrel-row&plan=open-range&tier=moor")
    for meter, quantity in (
        ("Compute: Processors", "5840"),
        ("Compute: Memory", "32"),
        ("Network: Data sent out", "1800"),
    ):
        page.get_by_label(f"Quantity of {meter}").fill(quantity)
    shoot(page, "", "estimate")
    shoot(page, f"{url}/organisations/kestrel-row/subscriptions", "orders")
    page.goto(f"{url}/what-if?period={history.calendar.closed[-1].text}")
    page.get_by_role("button", name="Price").click()
    page.get_by_role("grid").first.wait_for()
    shoot(page, "", "what-if")
    shoot(page, f"{url}/usage?meter=compute/vcpu&by=organisation", "usage")
    shoot(page, f"{url}/feed-balances", "balance")
    shoot(page, f"{url}/invoices?state=draft", "drafts")
    shoot(page, f"{url}/sites", "sites")
    shoot(page, f"{url}/spend?by=buyer&from={history.calendar.closed[0].text}", "spend")
    invoice = next(each for each in history.mara.invoices.list(state="issued") if each.buyer == "bluefern")
    full = history.mara.invoices.get(invoice.id)
    late = next(n for n, line in enumerate(full.lines, 1) if f"{line.service_end:%Y-%m-%d}" < f"{invoice.period}-02")
    page.goto(f"{url}/invoices/{invoice.id}?line={late}")
    page.get_by_text("earlier month").first.wait_for()
    page.get_by_role("table", name="Arithmetic").scroll_into_view_if_needed()
    shoot(page, "", "invoice-explained")
    reseller = signed_in(browser, url, "edda@oxbow.example")
    shoot(reseller, f"{url}/margins", "margins")
    new_customer(reseller, url)
    dark = signed_in(browser, url, "ruben@bluefern.example", "dark")
    shoot(dark, f"{url}/", "reseller-dark")
    tenant = signed_in(browser, url, "lotte@gannet.example")
    shoot(tenant, f"{url}/", "tenant")
    lotte = history.signed_in("lotte@gannet.example")
    pdf = TARGET / "invoice.pdf"
    pdf.write_bytes(lotte.invoices.pdf(lotte.invoices.list()[0].id))
    subprocess.run(["pdftoppm", "-png", "-r", "80", "-f", "1", "-singlefile", pdf, TARGET / "invoice-pdf"], check=True)
    pdf.unlink()
    print("invoice-pdf.png")


def new_customer(page: Page, url: str) -> None:
    """A customer that is written, beside what will happen."""
    page.goto(f"{url}/onboardings/new?organisation=oxbow")
    page.get_by_label("Name").fill("Petrel Charts")
    page.get_by_label("Plan and tier").click()
    page.get_by_role("option", name="Open Range Moor").click()
    page.get_by_label("E-mail address").fill("ada@petrel.example")
    page.get_by_text("ada@petrel.example is invited").wait_for()
    page.evaluate("scrollTo(0, 0)")
    shoot(page, "", "new-customer")


def draft(page: Page, url: str, history: History) -> None:
    """A card's next version, checked: dearer egress, and a discount."""
    card = history.mara.catalogue.rate_card("tarnwick", "tenants-eur").versions[-1].form.plain()
    rates = [
        {**rate, "blocks": [{**rate["blocks"][0], "price": "0.056"}, *rate["blocks"][1:]]}
        if rate["rate"] == "egress"
        else rate
        for rate in card["rates"]
    ]
    egress = next(rate for rate in rates if rate["rate"] == "egress")
    rates = [egress, *(rate for rate in rates if rate is not egress)]
    launch = {"discount": "launch", "name": "Winter start", "percent": "5", "services": ["backup"]}
    form = {**card, "starts-on": "2026-12-01", "rates": rates, "discounts": [launch]}
    history.mara.unpublished_changes.save("tarnwick", "rate-card", "tenants-eur", form)
    page.goto(f"{url}/unpublished-changes/rate-card/tenants-eur")
    page.get_by_role("button", name="Check").click()
    page.get_by_text("No mistakes.").wait_for()
    shoot(page, "", "draft")


def terminal(browser: Browser, url: str, folder: Path) -> None:
    """A session on the command line, with what it really printed."""
    os.environ["GRADUMEN_PROFILES"] = str(folder / "profiles.json")
    os.environ["COLUMNS"] = "100"
    sys.stdin = io.StringIO(PASSWORD + "\n")
    commands = [
        ["sign-in", "edda@oxbow.example", "--password-stdin"],
        ["spend", "period-so-far", "--totals"],
        ["quotas", "list"],
        ["quotas", "grant", "saltmarsh", "processors", "2000"],
        ["invoices", "list", "--period", "2026-09"],
    ]
    text = ""
    for command in commands:
        out = io.StringIO()
        with redirect_stdout(out):
            errors, sys.stderr = sys.stderr, out
            try:
                gradumen(["--url", url, *command])
            finally:
                sys.stderr = errors
        shown = " ".join(word for word in command if word != "--password-stdin")
        text += f"<b>$ gradumen {escape(shown)}</b>\n{escape(out.getvalue())}\n"
    page = browser.new_page(viewport={"width": 980, "height": 640})
    style = "margin:0;padding:20px;background:#171d1f;color:#e6e8e1;font:14px/1.45 'Liberation Mono',monospace"
    page.set_content(f'<pre style="{style}">{text}</pre><style>body{{margin:0}}b{{color:#86c397}}</style>')
    page.locator("pre").screenshot(path=TARGET / "command-line.png")
    print("command-line.png")


if __name__ == "__main__":
    sys.exit(main())
