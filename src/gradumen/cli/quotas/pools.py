"""gradumen pools: what there is of measures at one's own sites."""

import argparse
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import MEASURES, one_pool, one_site
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.quotas.pools import PoolBody, PoolCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "pools", "what there is of measures at your sites, and what of it is promised")
    add_organisation(verbs.add("list", run_list, "your pools, with what is left"))
    add = verbs.add("add", run_add, "say what there is of a measure at a site")
    add.add_argument("slug")
    add.add_argument("site", help="slug or id of a site of yours")
    add.add_argument("measure", help=MEASURES)
    add.add_argument("capacity", type=Decimal, help="in the measure's unit")
    change = verbs.add("change", run_change, "change what is given of one; it may be less than is promised")
    change.add_argument("--capacity", type=Decimal)
    for verb in (add, change):
        verb.add_argument("--name")
        verb.add_argument("--factor", type=Decimal, help="how many times over it is handed out, 1 unless set")
        verb.add_argument("--behind", help="what it is made of; told to nobody else")
        verb.add_argument("--set-aside-for", metavar="CUSTOMER", help="for whom alone it is, '' for all")
    retire = verbs.add("retire", run_retire, "it is not there any more; safe to repeat")
    for verb in (change, retire):
        verb.add_argument("pool", help="its slug or id")
    for verb in (add, change, retire):
        add_organisation(verb)


HEAD = ("POOL", "SITE", "MEASURE", "CAPACITY", "FACTOR", "PROMISED", "LEFT AT THE SITE", "UNIT", "FOR", "BEHIND")


def _show(found: list[PoolBody], out: Out) -> None:
    rows = [
        (
            each.slug,
            each.site_slug,
            each.measure,
            *(quantity(figure) for figure in (each.capacity, each.factor, each.at_site, each.left)),
            each.unit,
            each.set_aside_for or "all",
            each.behind or "",
        )
        for each in found
    ]
    out.table(HEAD, rows, right=("CAPACITY", "FACTOR", "PROMISED", "LEFT AT THE SITE"))
    for each in found:
        if each.left < 0:
            out.say(f"{each.site_name}: {quantity(-each.left)} {each.unit} more are promised than there are")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show pools."""
    found = client.pools.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no pool yet: nothing bounds what is promised at your sites")
    return 0


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Make a pool."""
    organisation = own_organisation(arguments)
    body = PoolCreate(
        site=one_site(client, organisation, arguments.site).id,
        slug=arguments.slug,
        name=arguments.name or arguments.slug,
        measure=arguments.measure,
        capacity=arguments.capacity,
        factor=arguments.factor,
        behind=arguments.behind,
        set_aside_for=arguments.set_aside_for or None,
    )
    made = client.pools.make(organisation, body)
    out.body(made)
    _show([made], out)
    return 0


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change a pool."""
    before = one_pool(client, own_organisation(arguments), arguments.pool)
    names = ("name", "capacity", "factor", "behind", "set_aside_for")
    given = {name: value for name in names if (value := getattr(arguments, name)) is not None}
    made = client.pools.change(before.id, before.version, **given)
    out.body(made)
    _show([made], out)
    return 0


def run_retire(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Retire a pool."""
    client.pools.retire(one_pool(client, own_organisation(arguments), arguments.pool).id)
    out.say(f"{arguments.pool} is not there any more")
    return 0
