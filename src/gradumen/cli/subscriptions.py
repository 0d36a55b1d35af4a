"""gradumen subscriptions."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.subscriptions import SubscriptionBody, SubscriptionCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "subscriptions", "who has which tier of which plan")
    listing = verbs.add("list", run_list, "subscriptions of an organisation and all below it")
    add_organisation(listing)
    create = verbs.add("create", run_create, "subscribe an organisation to a tier")
    create.add_argument("organisation")
    create.add_argument("plan", metavar="PLAN/TIER")
    create.add_argument("--name", help="the subscription's own name; by default the plan's")
    create.add_argument("--project")
    create.add_argument("--quantity", type=int, default=1)
    create.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    create.add_argument("--until", dest="ends_on", type=date.fromisoformat, metavar="DAY", help="first day not covered")
    create.add_argument("--rate-card", help="a card of the seller, instead of the one that fits the buyer")
    end = verbs.add("end", run_end, "set the first day that a subscription does not cover; safe to repeat")
    end.add_argument("organisation")
    end.add_argument("name", help="the subscription's own name")
    end.add_argument("day", type=lambda raw: None if raw == "never" else date.fromisoformat(raw))


def _show(found: list[SubscriptionBody], out: Out) -> None:
    out.table(
        ("ORGANISATION", "SUBSCRIPTION", "PLAN", "TIER", "FROM", "UNTIL"),
        [
            (
                f"{each.organisation}/{each.project}" if each.project else each.organisation,
                each.name,
                each.plan,
                each.tier,
                each.starts_on.isoformat(),
                each.ends_on.isoformat() if each.ends_on else "",
            )
            for each in found
        ],
    )


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show subscriptions."""
    found = client.subscriptions.list(own_organisation(arguments), below=True)
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no subscriptions yet; make one with: gradumen subscriptions create")
    return 0


def run_create(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Subscribe."""
    plan, _, tier = arguments.plan.partition("/")
    made = client.subscriptions.create(
        SubscriptionCreate(
            organisation=arguments.organisation,
            project=arguments.project,
            plan=plan,
            tier=tier,
            name=arguments.name or plan,
            quantity=arguments.quantity,
            starts_on=arguments.starts_on,
            ends_on=arguments.ends_on,
            rate_card=arguments.rate_card,
        )
    )
    out.body(made)
    _show([made], out)
    return 0


def run_end(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """End."""
    found = [each for each in client.subscriptions.list(arguments.organisation) if each.name == arguments.name]
    if not found:
        message = f"'{arguments.organisation}' has no subscription '{arguments.name}'; see: gradumen subscriptions list"
        raise Invalid(message, field="name", value=arguments.name)
    made = client.subscriptions.end(found[0].id, arguments.day, version=found[0].version)
    out.body(made)
    _show([made], out)
    return 0
