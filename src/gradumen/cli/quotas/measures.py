"""gradumen measures."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.core.quotas.measures import Counted, Kind
from gradumen.wire.quotas.measures import MeasureBody

KINDS = {
    Kind.STOCK: "what is had at a time",
    Kind.MONTHLY: "what flows in a month",
    Kind.DAILY: "what flows in a day",
    Kind.RATE: "what flows in a second",
    Kind.COUNT: "counted by the service",
}


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "measures", "what quotas limit; the provider may define more")
    verbs.add("list", run_list, "all measures with their units")
    define = verbs.add("define", run_define, "define one of the provider's own; safe to repeat")
    define.add_argument("measure", help="its name, like seats")
    define.add_argument("unit", help="the noun that meters count, like seat, or a unit of bytes, like GiB")
    define.add_argument("kind", choices=[*Kind], help="how its use is looked at; a count is counted by the service")
    define.add_argument("--counts", choices=[*Counted], help="of a count: what of an organisation's is counted")
    retire = verbs.add("retire", run_retire, "give no limits of one any more; safe to repeat")
    retire.add_argument("measure")


def _row(each: MeasureBody) -> tuple[str, ...]:
    limits = f"{each.counts}, {KINDS[each.kind]}" if each.counts else KINDS[each.kind]
    return each.measure, each.unit, limits, "the provider" if each.defined else ""


HEAD = ("MEASURE", "UNIT", "LIMITS", "DEFINED BY")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show measures."""
    found = client.measures.list()
    out.body(found)
    out.table(HEAD, map(_row, found))
    return 0


def run_define(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Define one."""
    made = client.measures.define(arguments.measure, arguments.unit, Kind(arguments.kind), counts=arguments.counts)
    out.body(made)
    out.table(HEAD, [_row(made)])
    if made.counts:
        out.say(f"nobody gets more {made.counts} than its limit of {made.measure} leaves, once it has one")
        return 0
    out.say("meters count it once a service is published whose meter names it")
    return 0


def run_retire(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Retire one."""
    client.measures.retire(arguments.measure)
    out.say(f"no limits of {arguments.measure} are given any more")
    return 0
