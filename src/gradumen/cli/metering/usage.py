"""gradumen usage."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, beside, in_short, in_words
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "usage", "what was used")
    show = verbs.add("show", run_show, "usage of an organisation and all below it in a month")
    show.add_argument("--period", required=True, metavar="YYYY-MM")
    show.add_argument(
        "--by",
        action="append",
        default=[],
        metavar="DIMENSION",
        help="day, resource, project, organisation, feed, cloud, region, or one like attribute:size; also several",
    )
    show.add_argument("--meter", metavar="SERVICE/METER")
    show.add_argument("--project")
    show.add_argument("--resource", metavar="NAME")
    show.add_argument("--limit", type=int, default=200)
    add_organisation(show)
    add_wait(show)
    balance = verbs.add("balance", run_balance, "of what your customers used in a month, what became of it, by meter")
    balance.add_argument("--period", required=True, metavar="YYYY-MM")
    missing = verbs.add("not-priced", run_not_priced, "what of a month is not priced to your customers, and why")
    missing.add_argument("--period", required=True, metavar="YYYY-MM")
    again = verbs.add("remake", run_remake, "make the usage of a month again from what came in, and rate it")
    again.add_argument("--period", required=True, metavar="YYYY-MM")
    add_organisation(again)
    for verb in (balance, missing):
        add_organisation(verb)
        add_wait(verb)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show usage."""
    found = client.usage.sum(
        own_organisation(arguments),
        arguments.period,
        by=arguments.by,
        meter=arguments.meter,
        project=arguments.project,
        resource=arguments.resource,
        limit=arguments.limit,
        wait=arguments.wait,
    )
    out.body(found)
    keys = list(arguments.by)
    meters = {each.meter for each in found.items}
    like = {meter: beside(each.quantity for each in found.items if each.meter == meter) for meter in meters}
    out.table(
        ("METER", *(key.upper() for key in keys), "QUANTITY", "UNIT"),
        [
            (each.meter, *(each.keys[key] for key in keys), *in_words(each.quantity, each.unit, like[each.meter]))
            for each in found.items
        ],
        right=("QUANTITY",),
    )
    if not found.items:
        hint = " yet" if found.waiting else "; send readings with: gradumen readings send"
        out.say(f"no usage in {found.period}{hint}")
    out.as_of(found)
    if found.more:
        out.note(f"only the first {arguments.limit}; ask for more with --limit")
    return 0


def run_remake(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Make it again, and follow that."""
    asked = client.usage_remakes.start(own_organisation(arguments), arguments.period)
    with out.following() as tell:
        task = client.tasks.follow(asked.id, tell=tell)
    out.body(task)
    if task.problem:
        out.note(f"it needs a hand: {task.problem}; see gradumen tasks show {str(task.id)[:8]}")
        return 1
    out.say("it is being made again; what comes of it is rated as soon as that is done")
    return 0


def run_balance(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what became of usage; exit 1 where something of it is not accounted for."""
    found = client.spend.balances(own_organisation(arguments), arguments.period, wait=arguments.wait)
    out.body(found)
    columns = ["used", "charged", "covered", "watched", "together", "no_rate", "no_subscription"]
    for name in ("watched", "together"):
        if not any(getattr(each, name) for each in found.items):
            columns.remove(name)
    called = {"together": "COMPOSITES"}
    titles = [*(called.get(name, name.replace("_", " ").upper()) for name in columns), "DIFFERENCE"]
    out.table(
        ("METER", *titles),
        [
            (
                each.meter_name,
                *(in_short(getattr(each, name), each.unit) for name in columns),
                "no sum" if each.difference is None else in_short(each.difference, each.unit),
            )
            for each in found.items
        ],
        right=titles,
    )
    open_ones = [each for each in found.items if each.difference]
    if not found.items:
        out.say(f"nothing was used in {found.period}")
    elif not open_ones:
        out.say("everything that was used is charged, covered or listed here")
    out.as_of(found)
    return 1 if open_ones and not found.waiting else 0


def run_not_priced(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is not priced."""
    found = client.spend.not_priced(own_organisation(arguments), arguments.period, wait=arguments.wait)
    out.body(found)
    out.table(
        ("METER", "WHOSE", "WHY", "ATTRIBUTES", "RESOURCES", "QUANTITY"),
        [
            (
                each.meter_name,
                each.organisation,
                each.reason,
                ", ".join(f"{name} {value}" for name, value in each.attributes.items()),
                f"{each.resources}: {', '.join(each.examples[:2])}" + (" ..." if each.resources > 2 else ""),
                in_short(each.quantity, each.unit),
            )
            for each in found.items
        ],
        right=("QUANTITY",),
    )
    if not found.items:
        out.say(f"everything that was sold in {found.period} is priced")
    out.as_of(found)
    return 0
