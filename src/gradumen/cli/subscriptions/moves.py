"""gradumen moves: organisations that buy from another seller from a day on."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.exact import money, text
from gradumen.wire.subscriptions.moves import MoveBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "moves", "organisations that buy from another seller from a day on")
    add_organisation(verbs.add("list", run_list, "the moves of an organisation, the latest first"))
    plan = verbs.add("plan", run_plan, "plan one, for who sells to both; safe to repeat")
    plan.add_argument("organisation", help="who moves, with all below it")
    plan.add_argument("to", help="the seller to come")
    plan.add_argument("starts_on", type=date.fromisoformat, metavar="DAY", help="the first day under that seller")
    plan.add_argument("--reason", required=True, help="why; the organisation reads it")
    plan.add_argument("--check", action="store_true", help="only see what it would do, and what stands against it")
    withdraw = verbs.add("withdraw", run_withdraw, "take a planned one back; safe to repeat")
    withdraw.add_argument("organisation")
    withdraw.add_argument("move", help="its id, or the beginning of it")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """List moves."""
    found = client.moves.list(own_organisation(arguments))
    out.body(found)
    rows = [
        (str(each.id)[:8], f"{each.starts_on}", each.from_seller or "-", each.to_seller or "-", each.state)
        for each in found
    ]
    if rows:
        out.table(("ID", "FROM DAY", "LEAVES", "COMES TO", "STATE"), rows)
    else:
        out.say("it never moved, and no move is planned")
    return 0


def run_plan(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Plan a move, or look at what it would do; 1 where something stands against it."""
    told = client.moves.plan(
        arguments.organisation, arguments.to, arguments.starts_on, arguments.reason, check=arguments.check
    )
    _show(told, out)
    if arguments.check:
        out.say("nothing was planned" if told.hindrances else "nothing was planned; leave out --check to plan it")
    return 1 if told.hindrances else 0


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a move back."""
    organisation = arguments.organisation
    found = by_beginning(
        arguments.move,
        lambda: [each.id for each in client.moves.list(organisation) if each.id],
        field="move",
        noun="move",
    )
    told = client.moves.withdraw(organisation, found)
    out.body(told)
    out.say(f"{told.organisation_name} stays where it is: the move of {told.starts_on} is {told.state}")
    return 0


def _show(told: MoveBody, out: Out) -> int:
    out.body(told)
    for sentence in told.sentences:
        out.say(sentence)
    if told.subscriptions:
        out.table(
            ("SUBSCRIPTION", "PLAN", "TIER", "FEES A MONTH", "BECOMES"),
            [
                (
                    each.subscription,
                    each.plan or "",
                    each.tier or "",
                    f"{money(each.monthly, each.currency)} {each.currency}" if each.monthly and each.currency else "",
                    "ends" if each.ends else "goes on",
                )
                for each in told.subscriptions
            ],
        )
    if told.limits:
        out.table(
            ("MEASURE", "UNIT", "TAKES ALONG", "LEFT AT THE SELLER TO COME"),
            [
                (each.measure, each.unit, *("no limit" if figure is None else text(figure) for figure in
                 (each.limit, each.left)))
                for each in told.limits
            ],
        )  # fmt: skip
    for against in told.hindrances:
        out.say(f"stands against it: {against}")
    return 0
