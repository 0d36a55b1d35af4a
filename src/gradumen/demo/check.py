"""``scripts/demo --check``: signs in, looks, meters this host for real, closes a month; a line for each thing shown."""

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path

from gradumen.client import Client
from gradumen.core.errors import GradumenError, NotFound
from gradumen.core.permissions import Role
from gradumen.demo.history import History
from gradumen.demo.scenario import HOST_PROJECT, PASSWORD, PROVIDER, SIGNERS
from gradumen.wire.billing.invoices import InvoiceBody

EXAMPLE = Path(__file__).parents[3] / "examples" / "meter_this_host.py"
SECONDS = 30


def run_check(url: str, history: History) -> int:
    """Show everything; 0 when all of it holds."""
    checks: list[Callable[[str, History], str]] = [_page, _overview, _separation, _host, _close, _again, _explain]
    for check in checks:
        try:
            print(f"ok    {check(url, history)}", flush=True)
        except GradumenError as problem:
            print(f"FAILED {check.__name__.strip('_')}: {problem.message}", flush=True)
            return 1
    print(f"{len(checks)} passed, 0 failed")
    return 0


def _require(condition: bool, message: str) -> None:
    if not condition:
        raise GradumenError(message)


def _page(url: str, history: History) -> str:
    with Client(url) as client:
        page = client.connection.http.get(f"{url}/").text
    _require('<div id="root">' in page, "the console's page is not served; run scripts/setup")
    return "the console is served"


def _overview(url: str, history: History) -> str:
    links = history.mara.spend.period_so_far(PROVIDER).links
    sold = [link for link in links if link.seller == PROVIDER and link.buyer != PROVIDER]
    _require(len(sold) >= 5, "the overview shows too few buyers")
    return f"overview: {len(sold)} buyers, {sum(len(link.lines) for link in sold)} lines this month so far"


def _separation(url: str, history: History) -> str:
    with Client(url) as ines:
        ines.sign_in("ines@saltmarsh.example", PASSWORD)
        seen = {each.slug for each in ines.organisations.list()}
        _require(seen == {"saltmarsh"}, f"a tenant sees {seen}")
        try:
            ines.organisations.get("thistledown")
        except NotFound:
            return "a tenant sees itself only; another's address is 404"
    raise GradumenError("a tenant sees another organisation")


def _host(url: str, history: History) -> str:
    """Real readings of this machine for half a minute, as usage and cost of the provider's own project."""
    sender = history.signed_in("meters@tarnwick.example")
    token = sender.tokens.create(PROVIDER, name="meter_this_host", role=Role.SENDER, days=1)
    now = history.mara.clock.read().now
    before = _host_usage(history, now)
    with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
        json.dump({"url": url, "token": token.secret}, file)
        file.flush()
        command = [
            sys.executable,
            str(EXAMPLE),
            "--credentials",
            file.name,
            "--feed",
            f"{PROVIDER}/host",
            "--owner",
            f"{PROVIDER}/{HOST_PROJECT}",
            "--seconds",
            str(SECONDS),
            "--every",
            "3",
        ]
        done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=SECONDS + 60)
    sender.tokens.revoke(token.id)
    _require(done.returncode == 0, f"meter_this_host failed: {done.stderr[-400:]}")
    after = _host_usage(history, now)
    _require(after > before, "no usage of this host arrived")
    own = [link for link in history.mara.spend.period_so_far(PROVIDER).links if link.buyer == PROVIDER]
    _require(bool(own) and any(line.service == "host" for line in own[0].lines), "this host costs nothing")
    cost = sum(Decimal(day.amount) for day in own[0].days)
    return f"this host, metered for {SECONDS} s: {after - before:f} s of processor time; its month costs {cost:f} EUR"


def _host_usage(history: History, now: datetime) -> Decimal:
    found = history.mara.usage.sum(PROVIDER, f"{now:%Y-%m}", project=HOST_PROJECT, meter="host/cpu").items
    return sum((each.quantity for each in found), Decimal(0))


def _close(url: str, history: History) -> str:
    """Close the last month of every seller through the interface."""
    month = history.calendar.closed[-1].text
    issued: list[InvoiceBody] = []
    for seller, email in SIGNERS.items():
        client = history.signed_in(email)
        before = {
            link.buyer: link.net
            for link in client.spend.period_so_far(seller, month).links
            if link.seller == seller and link.buyer != seller
        }
        run = client.bill_runs.wait(client.bill_runs.start(seller, month).id)
        _require(run.state == "done", f"bill run of {seller}: {run.problem}")
        for draft in sorted(client.invoices.list(state="draft", seller=seller), key=lambda each: each.buyer):
            invoice = client.invoices.issue(draft.id)
            issued.append(invoice)
            own = [line for line in invoice.lines if f"{line.service_start + timedelta(hours=12):%Y-%m}" == month]
            _require(
                sum((line.amount for line in own), Decimal(0)) == before[invoice.buyer],
                f"{invoice.number} differs from the period so far",
            )
            _require(client.invoices.pdf(invoice.id).startswith(b"%PDF"), f"no PDF of {invoice.number}")
    earlier = [each for email in SIGNERS.values() for each in history.signed_in(email).invoices.list(period=month)]
    _require(bool(issued or earlier), "no invoices")
    count = len(issued) or len({each.id for each in earlier})
    return f"{month} closed by {len(SIGNERS)} sellers: {count} invoices, equal to the period so far to the cent"


def _again(url: str, history: History) -> str:
    month = history.calendar.closed[-1].text
    for seller, email in SIGNERS.items():
        client = history.signed_in(email)
        run = client.bill_runs.wait(client.bill_runs.start(seller, month).id)
        _require(run.state == "done" and not run.drafts, f"{seller} finds something to bill again")
    return "running the bill runs again finds nothing"


def _explain(url: str, history: History) -> str:
    invoice = next(each for each in history.mara.invoices.list(state="issued") if each.buyer == "kestrel-row")
    full = history.mara.invoices.get(invoice.id)
    line = max((each for each in full.lines if each.unit == "vCPU-hour"), key=lambda each: each.amount)
    _require(line.charge_id is not None, "a line without charge")
    charge = history.mara.charges.explain(line.charge_id) if line.charge_id else None
    readings = history.mara.charges.readings(line.charge_id, limit=500) if line.charge_id else []
    _require(charge is not None and bool(readings), "an amount leads to no readings")
    return (
        f"{invoice.number}: {line.amount} {invoice.currency} leads to rate '{line.rate}' and {len(readings)} readings"
    )
