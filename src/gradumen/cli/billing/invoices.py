"""gradumen invoices."""

import argparse
from pathlib import Path
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out, money, quantity, service_days
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.units import unit_words
from gradumen.wire.billing.invoices import InvoiceBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "invoices", "look at, issue and print invoices")
    listing = verbs.add("list", run_list, "drafts and issued documents, newest period first")
    listing.add_argument("--state", choices=["draft", "issued"])
    for name in ("seller", "buyer", "period"):
        listing.add_argument(f"--{name}")
    listing.add_argument("--search", default="", help="a text in the number or in the parties' names")
    show = verbs.add("show", run_show, "one with its lines")
    show.add_argument("invoice", help="id or number")
    issue = verbs.add("issue", run_issue, "give reviewed drafts their numbers; safe to repeat, cannot be undone")
    issue.add_argument("draft", type=UUID, nargs="*")
    issue.add_argument("--all", action="store_true", help="every draft that you see")
    discard = verbs.add("discard", run_discard, "discard a draft; the next bill run makes it again")
    discard.add_argument("draft", type=UUID)
    pdf = verbs.add("pdf", run_pdf, "save an issued document as PDF")
    pdf.add_argument("invoice", help="id or number")
    pdf.add_argument("--to", type=Path, help="file to write; by default the number with .pdf")


def find(client: Client, name: str) -> InvoiceBody:
    """The invoice of an id or number."""
    try:
        return client.invoices.get(UUID(name))
    except ValueError:
        pass
    for each in client.invoices.list(state="issued", search=name):
        if each.number == name:
            return client.invoices.get(each.id)
    raise Invalid(f"no invoice '{name}'; see: gradumen invoices list", field="invoice", value=name)


def _row(each: InvoiceBody) -> tuple[str, ...]:
    return (
        each.number or str(each.id),
        each.period,
        each.seller,
        each.buyer,
        money(each.net, each.currency),
        money(each.gross, each.currency),
        each.currency,
    )


HEAD = ("NUMBER OR DRAFT", "PERIOD", "SELLER", "BUYER", "NET", "TOTAL", "")
RIGHT = ("NET", "TOTAL")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show a list."""
    found = client.invoices.list(
        state=arguments.state,
        seller=arguments.seller,
        buyer=arguments.buyer,
        period=arguments.period,
        search=arguments.search,
    )
    out.body(found)
    out.table(HEAD, map(_row, found), right=RIGHT)
    if not found:
        out.say("none; make drafts with: gradumen bill-runs start")
    return 0


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one."""
    found = find(client, arguments.invoice)
    out.body(found)
    title = "Credit note" if found.kind == "credit_note" else "Invoice"
    out.say(f"{title} {found.number or '(draft)'}: {found.seller} → {found.buyer}, {found.period}")
    out.table(
        ("ORGANISATION", "DESCRIPTION", "SERVICE PERIOD", "QUANTITY", "UNIT", found.currency),
        [
            (
                f"{line.organisation}/{line.project}" if line.project else line.organisation,
                line.description + (f" (corrects {line.corrects})" if line.corrects else ""),
                service_days(line.service_start, line.service_end),
                quantity(line.quantity),
                unit_words(line.unit, line.quantity),
                money(line.amount, found.currency),
            )
            for line in found.lines
        ],
        right=("QUANTITY", found.currency),
    )
    taxes = "   ".join(
        f"tax {quantity(each.percent)} % {money(each.tax, found.currency)}"
        + (f" on {money(each.net, found.currency)}" if len(found.taxes) > 1 else "")
        for each in found.taxes
    )
    out.say(
        f"net {money(found.net, found.currency)}   {taxes}   "
        f"total {money(found.gross, found.currency)} {found.currency}"
    )
    return 0


def run_issue(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Issue drafts."""
    if arguments.all:
        return _issue_all(client, out)
    if not arguments.draft:
        raise Invalid("name drafts, or use --all when there are any", field="draft")
    issued = [client.invoices.issue(draft) for draft in arguments.draft]
    out.body(issued)
    out.table(HEAD, map(_row, issued), right=RIGHT)
    return 0


def _issue_all(client: Client, out: Out) -> int:
    """Every draft that the caller sees, a task for each seller."""
    drafts = client.invoices.list(state="draft")
    if not drafts:
        raise Invalid("name drafts, or use --all when there are any", field="draft")
    problems = 0
    for seller in sorted({each.seller for each in drafts}):
        with out.following() as tell:
            task = client.tasks.follow(client.invoices.issue_many(seller).id, tell=tell)
        if task.problem:
            problems += 1
            out.note(f"{seller}: {task.problem}; see gradumen tasks show {str(task.id)[:8]}")
    found = [client.invoices.get(each.id) for each in sorted(drafts, key=lambda draft: (draft.seller, draft.buyer))]
    issued = [each for each in found if each.state == "issued"]
    out.body(issued)
    out.table(HEAD, map(_row, issued), right=RIGHT)
    return 1 if problems else 0


def run_discard(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Discard a draft."""
    client.invoices.discard(arguments.draft)
    out.say("discarded")
    return 0


def run_pdf(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Save as PDF."""
    found = find(client, arguments.invoice)
    target = arguments.to or Path(f"{found.number or found.id}.pdf")
    target.write_bytes(client.invoices.pdf(found.id))
    out.say(f"{target}")
    return 0
