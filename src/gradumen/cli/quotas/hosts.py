"""gradumen hosts: what the hosts of one's clouds have, hand out and have in use."""

import argparse
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import one_cloud
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.units import unit_words
from gradumen.wire.quotas.hosts import HostBody, HostDayBody, HostsBody

FIGURES = ("TOTAL", "FACTOR", "HANDED OUT", "IN USE", "FREE")


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "hosts", "what the hosts of your clouds have, hand out and have in use")
    listing = verbs.add("list", run_list, "as they were at the last look, with what all have together")
    listing.add_argument("--search", default="", help="only hosts and resources that have this")
    days = verbs.add("days", run_days, "what they had on each UTC day")
    days.add_argument("--host", help="of one alone, by its name; by default all together")
    days.add_argument("--from", dest="first", type=date.fromisoformat, help="the first day, by default 30 days ago")
    days.add_argument("--to", dest="end", type=date.fromisoformat, help="the day before which it ends")
    look = verbs.add("look", run_look, "look at them now; they are looked at every hour anyway")
    for verb in (listing, days, look):
        verb.add_argument("cloud", help="its slug or id")
        add_organisation(verb)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show hosts."""
    cloud = one_cloud(client, own_organisation(arguments), arguments.cloud).id
    pages = [client.hosts.list(cloud, search=arguments.search)]
    while pages[-1].next:
        pages.append(client.hosts.list(cloud, search=arguments.search, after=pages[-1].next))
    found = pages[0].model_copy(update={"items": [each for page in pages for each in page.items], "next": None})
    out.body(found)
    rows = [(each.host, *_cells(each)) for each in found.items]
    whole = [(f"all {each.hosts}", *_cells(each)) for each in found.together]
    out.table(("HOST", "OF", *FIGURES), [*whole, *rows], right=FIGURES)
    _tell(found, out)
    return 0


def _cells(each: HostBody) -> tuple[str, ...]:
    return (
        _named(each),
        quantity(each.total),
        "" if each.factor is None else quantity(each.factor),
        quantity(each.capacity),
        quantity(each.used),
        quantity(each.free),
    )


def _named(each: HostBody | HostDayBody) -> str:
    return f"{each.resource} {unit_words(each.unit, Decimal(2))}" if each.unit else each.resource


def _tell(found: HostsBody, out: Out) -> None:
    """When they were looked at, and why not later."""
    if found.tells is False:
        out.say(f"{found.cloud_name} does not tell of its hosts; it is asked again once a day")
    elif found.looked_at is not None:
        out.say(f"as of {found.looked_at:%Y-%m-%d %H:%M} UTC")
    elif found.problem is None:
        out.say("not looked at yet: within ten minutes, or now by gradumen hosts look")
    if found.problem is not None:
        out.say(f"the last look brought nothing: {found.problem}")


def run_days(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show hosts over time."""
    cloud = one_cloud(client, own_organisation(arguments), arguments.cloud).id
    found = client.hosts.days(cloud, host=arguments.host, first=arguments.first, end=arguments.end)
    out.body(found)
    figures = ("HOSTS", "TOTAL", "HANDED OUT", "IN USE", "MOST", "FREE", "LOOKS")
    rows = [
        (
            f"{each.day}",
            _named(each),
            f"{each.hosts}",
            *(quantity(figure) for figure in (each.total, each.capacity, each.used, each.used_most)),
            quantity(each.free),
            f"{each.looks}",
        )
        for each in found
    ]
    out.table(("DAY, UTC", "OF", *figures), rows, right=figures)
    if not found:
        out.say("it was not told of on these days")
    return 0


def run_look(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Look at hosts now."""
    task = client.hosts.look(one_cloud(client, own_organisation(arguments), arguments.cloud).id)
    out.body(task)
    out.say(f"{task.kind} {task.subject}; follow it with: gradumen tasks follow {task.id}")
    return 0
