"""gradumen organisations."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.core.organisations.states import State
from gradumen.wire.organisations.organisations import OrganisationBody, OrganisationCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "organisations", "the provider, resellers and tenants")
    listing = verbs.add("list", run_list, "the tree of organisations that you see")
    listing.add_argument("--search", help="part of a slug or name; then without the tree")
    listing.add_argument("--under", metavar="SLUG", help="only those that this one sells to")
    listing.add_argument("--type", choices=("provider", "reseller", "tenant"))
    listing.add_argument("--state", choices=list(State), help="what holds for them")
    listing.add_argument("--tag", help="a word that you gave them")
    create = verbs.add("create", run_create, "bring a reseller or tenant on board")
    create.add_argument("slug")
    for name in ("parent", "type", "name", "country", "currency"):
        create.add_argument(f"--{name}", required=True)
    create.add_argument("--billing-zone", default="UTC")
    create.add_argument("--cost-centre")
    create.add_argument("--segment", help="what kind of customer it is, in your words")
    create.add_argument("--starts-on", type=date.fromisoformat, metavar="DAY", help="until then it is proposed")
    change = verbs.add("change", run_change, "change its name, or what you say of it as its seller; safe to repeat")
    change.add_argument("organisation")
    change.add_argument("--name")
    change.add_argument("--cost-centre", help="empty: none")
    change.add_argument("--segment", help="what kind of customer it is, in your words; empty: none")
    change.add_argument("--tags", help="words by which you find it, with commas; empty: none")
    change.add_argument("--notes", help="what you write down about it; it never reads that")
    change.add_argument("--payer", metavar="SLUG", help="who pays its documents; empty: itself")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the tree."""
    wanted = {name: getattr(arguments, name) for name in ("search", "type", "state", "tag")}
    found = client.organisations.list(parent=arguments.under, **wanted)
    out.body(found)
    ordered = [(0, each) for each in found] if arguments.under or any(wanted.values()) else tree(found)
    out.table(
        ("ORGANISATION", "NAME", "TYPE", "STATE", "COUNTRY", "CURRENCY", "ZONE"),
        [
            ("  " * depth + each.slug, each.name, each.type, each.state, each.country, each.currency, each.billing_zone)
            for depth, each in ordered
        ],
    )
    return 0


def tree(found: list[OrganisationBody]) -> list[tuple[int, OrganisationBody]]:
    """Organisations with their depth, each after its parent."""
    children: dict[str | None, list[OrganisationBody]] = {}
    for each in found:
        children.setdefault(each.parent, []).append(each)

    def walk(parent: str | None, depth: int) -> list[tuple[int, OrganisationBody]]:
        return [pair for each in children.get(parent, []) for pair in ((depth, each), *walk(each.slug, depth + 1))]

    return walk(None, 0)


def run_create(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Bring an organisation on board."""
    body = OrganisationCreate(
        parent=arguments.parent,
        type=arguments.type,
        slug=arguments.slug,
        name=arguments.name,
        country=arguments.country,
        currency=arguments.currency,
        billing_zone=arguments.billing_zone,
        cost_centre=arguments.cost_centre,
        segment=arguments.segment,
        starts_on=arguments.starts_on,
    )
    made = client.organisations.create(body)
    out.body(made)
    out.say(f"{made.type} '{made.slug}' is under {made.parent}, billed in {made.currency}; it is {made.state}")
    return 0


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change an organisation."""
    names = ("name", "cost_centre", "segment", "notes", "payer")
    given: dict[str, Any] = {name: getattr(arguments, name) for name in names if getattr(arguments, name) is not None}
    if arguments.tags is not None:
        given["tags"] = [each.strip() for each in arguments.tags.split(",") if each.strip()]
    made = client.organisations.change(arguments.organisation, **given)
    out.body(made)
    out.table(
        ("ORGANISATION", "NAME", "SEGMENT", "TAGS", "COST CENTRE"),
        [(made.slug, made.name, made.segment or "", ", ".join(made.tags), made.cost_centre or "")],
    )
    return 0
