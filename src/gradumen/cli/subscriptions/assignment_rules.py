"""gradumen assignment-rules."""

import argparse
import json
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, day_after, last_day, pairs
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleBody, AssignmentRuleSet


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "assignment-rules", "which usage of an organisation belongs to which of its subscriptions")
    listing = verbs.add("list", run_list, "the rules, in the order in which they are looked at")
    listing.add_argument("organisation")
    setting = verbs.add("set", run_set, "make a rule or write one anew; safe to repeat")
    setting.add_argument("organisation")
    setting.add_argument("rule", help="the rule's slug")
    setting.add_argument("subscription", help="the subscription's own name")
    setting.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    setting.add_argument("--last-day", type=date.fromisoformat, metavar="DAY", help="by default it goes on")
    setting.add_argument("--position", type=int, default=100, help="lower ones are looked at first")
    setting.add_argument("--service")
    setting.add_argument("--project")
    setting.add_argument("--resource", help="its name, or a beginning with * at the end")
    setting.add_argument("--where", action="append", default=[], metavar="ATTRIBUTE=VALUE", help="may be repeated")
    delete = verbs.add("delete", run_delete, "take a rule away, as if it had never been; safe to repeat")
    delete.add_argument("organisation")
    delete.add_argument("rule")


def _show(found: list[AssignmentRuleBody], out: Out) -> None:
    out.table(
        ("POSITION", "RULE", "CONDITIONS", "SUBSCRIPTION", "FROM", "LAST DAY"),
        [
            (
                str(each.position),
                each.slug,
                _words(each.conditions),
                each.subscription,
                each.starts_on.isoformat(),
                last_day(each.ends_on),
            )
            for each in found
        ],
        right=("POSITION",),
    )


def _words(conditions: dict[str, Any]) -> str:
    parts = {key: value for key, value in conditions.items() if key != "where"} | conditions.get("where", {})
    return ", ".join(f"{key} {value if isinstance(value, str) else json.dumps(value)}" for key, value in parts.items())


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show rules."""
    found = client.assignment_rules.list(arguments.organisation)
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no rules; usage belongs to subscriptions by project and day")
    return 0


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Make a rule."""
    conditions: dict[str, Any] = {"service": arguments.service, "project": arguments.project}
    if arguments.resource:
        whole = not arguments.resource.endswith("*")
        conditions["resource"] = arguments.resource if whole else {"prefix": arguments.resource[:-1]}
    conditions["where"] = pairs(arguments.where, "where")
    made = client.assignment_rules.set(
        arguments.organisation,
        arguments.rule,
        AssignmentRuleSet(
            subscription=arguments.subscription,
            position=arguments.position,
            starts_on=arguments.starts_on,
            ends_on=day_after(arguments.last_day),
            conditions={key: value for key, value in conditions.items() if value},
        ),
    )
    out.body(made)
    _show([made], out)
    return 0


def run_delete(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a rule away."""
    client.assignment_rules.delete(arguments.organisation, arguments.rule)
    out.say(f"no rule '{arguments.rule}' for {arguments.organisation} any more")
    return 0
