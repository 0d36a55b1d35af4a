"""gradumen bill-runs."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, money
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.billing.bill_runs import BillRunBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "bill-runs", "the close of a period for one seller")
    start = verbs.add("start", run_start, "make the drafts of a closed period and wait for them")
    start.add_argument("--period", required=True, metavar="YYYY-MM")
    start.add_argument("--issue", action="store_true", help="issue every draft; cannot be undone")
    start.add_argument("--reason", metavar="TEXT", help="why it is closed though something may still come by feeds")
    add_organisation(start)
    differences = verbs.add(
        "differences", run_differences, "issued months that today's rules price differently; bills nothing"
    )
    add_organisation(differences)
    listing = verbs.add("list", run_list, "bill runs, newest first")
    add_organisation(listing)


def run_start(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Make drafts, and issue them if asked."""
    seller = own_organisation(arguments)
    run = client.bill_runs.wait(client.bill_runs.start(seller, arguments.period, reason=arguments.reason).id)
    if run.state == "needs a hand":
        out.body(run)
        out.note(f"the bill run needs a hand: {run.problem}")
        return 1
    if arguments.issue:
        if client.invoices.list(state="draft", seller=seller):
            with out.following() as tell:
                task = client.tasks.follow(client.invoices.issue_many(seller).id, tell=tell)
            if task.problem:
                out.note(f"not all were issued: {task.problem}; see gradumen tasks show {str(task.id)[:8]}")
        run = client.bill_runs.get(run.id)
    out.body(run)
    _show([run], out)
    if run.drafts:
        out.say("review with: gradumen invoices list --state draft; issue with: gradumen invoices issue --all")
    elif not run.issued:
        out.say("nothing to bill")
    return 0


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show bill runs."""
    found = client.bill_runs.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no bill runs yet")
    return 0


def run_differences(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what differs."""
    found = client.bill_runs.differences(own_organisation(arguments))
    out.body(found)
    out.table(
        ("PERIOD", "BUYER", "CURRENCY", "BILLED", "TODAY", "DIFFERENCE"),
        [
            (
                each.period,
                each.buyer,
                each.currency,
                money(each.billed, each.currency),
                money(each.today, each.currency),
                money(each.difference, each.currency),
            )
            for each in found
        ],
        right=("BILLED", "TODAY", "DIFFERENCE"),
    )
    if not found:
        out.say("today's rules come to what was issued, in every month whose usage is unchanged")
    return 0


def _show(found: list[BillRunBody], out: Out) -> None:
    out.table(
        ("SELLER", "PERIOD", "STATE", "DRAFTS", "ISSUED", "STARTED", "PROBLEM"),
        [
            (
                each.seller,
                each.period,
                each.state,
                str(each.drafts),
                str(each.issued),
                f"{each.started_at:%Y-%m-%d %H:%M}",
                each.problem or "",
            )
            for each in found
        ],
        right=("DRAFTS", "ISSUED"),
    )
