"""gradumen subscriptions."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.subscriptions import SubscriptionBody, SubscriptionChange, SubscriptionCreate


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
    create.add_argument(
        "--trial-until", type=date.fromisoformat, metavar="DAY", help="free of charge up to this day (not included)"
    )
    change = verbs.add("change", run_change, "change tier or quantity, pause or resume, from a day on; safe to repeat")
    change.add_argument("organisation")
    change.add_argument("name", help="the subscription's own name")
    change.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    change.add_argument("--tier")
    change.add_argument("--quantity", type=int)
    pausing = change.add_mutually_exclusive_group()
    pausing.add_argument("--pause", dest="paused", action="store_const", const=True, help="no fees and allowances")
    pausing.add_argument("--resume", dest="paused", action="store_const", const=False)
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
            trial_until=arguments.trial_until,
        )
    )
    out.body(made)
    _show([made], out)
    return 0


def _find(arguments: argparse.Namespace, client: Client) -> SubscriptionBody:
    found = [each for each in client.subscriptions.list(arguments.organisation) if each.name == arguments.name]
    if not found:
        message = f"'{arguments.organisation}' has no subscription '{arguments.name}'; see: gradumen subscriptions list"
        raise Invalid(message, field="name", value=arguments.name)
    return found[0]


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change."""
    found = _find(arguments, client)
    change = SubscriptionChange(
        starts_on=arguments.starts_on,
        tier=arguments.tier,
        quantity=arguments.quantity,
        paused=arguments.paused,
        version=found.version,
    )
    made = client.subscriptions.change(found.id, change)
    out.body(made)
    out.table(
        ("FROM", "TIER", "QUANTITY", ""),
        [
            (
                each.starts_on.isoformat(),
                each.tier,
                str(each.quantity),
                "paused" if each.paused else "trial" if each.trial else "",
            )
            for each in made.stretches
        ],
        right=("QUANTITY",),
    )
    return 0


def run_end(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """End."""
    found = _find(arguments, client)
    made = client.subscriptions.end(found.id, arguments.day, version=found.version)
    out.body(made)
    _show([made], out)
    return 0
