"""gradumen sites: where capacity is."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.places import one_site
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.organisations.sites import SiteBody, SiteCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "sites", "where capacity is, and who may use it there")
    add_organisation(verbs.add("list", run_list, "those that an organisation may use"))
    add = verbs.add("add", run_add, "register one of your own")
    add.add_argument("slug")
    change = verbs.add("change", run_change, "change what is given of it")
    for verb in (add, change):
        verb.add_argument("--name")
        verb.add_argument("--place", help="where it is, for people")
        verb.add_argument("--zone", help="its time zone, like Europe/Dublin")
    retire = verbs.add("retire", run_retire, "give no limits there any more; safe to repeat")
    for verb in (change, retire):
        verb.add_argument("site", help="its slug or id")
    for verb in (add, change, retire):
        add_organisation(verb)
    permit = verbs.add("permit", run_permit, "hold an organisation, and all below it, to some; its seller does")
    permit.add_argument("organisation")
    permit.add_argument("--project", help="only a project of it; its own people do, too")
    permit.add_argument(
        "sites", nargs="*", metavar="SITE", help="slugs or ids; without any, all that its seller may use"
    )


def _show(found: list[SiteBody], out: Out) -> None:
    rows = [(each.slug, each.name, each.place or "", each.zone, "own" if each.own else "") for each in found]
    out.table(("SITE", "NAME", "PLACE", "ZONE", ""), rows)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show sites."""
    found = client.sites.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no site yet")
    return 0


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Register a site."""
    body = SiteCreate(
        slug=arguments.slug,
        name=arguments.name or arguments.slug,
        place=arguments.place,
        zone=arguments.zone or "UTC",
    )
    made = client.sites.register(own_organisation(arguments), body)
    out.body(made)
    _show([made], out)
    return 0


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change a site."""
    before = one_site(client, own_organisation(arguments), arguments.site)
    given = {name: value for name in ("name", "place", "zone") if (value := getattr(arguments, name)) is not None}
    made = client.sites.change(before.id, before.version, **given)
    out.body(made)
    _show([made], out)
    return 0


def run_retire(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Retire a site."""
    client.sites.retire(one_site(client, own_organisation(arguments), arguments.site).id)
    out.say(f"no limits are given at {arguments.site} any more; those that are given stay")
    return 0


def run_permit(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Hold an organisation, or a project of it, to sites."""
    organisation, project = arguments.organisation, arguments.project
    seller = client.organisations.get(organisation).parent or own_organisation(arguments)
    knows = organisation if project else seller
    sites = [one_site(client, knows, written) for written in arguments.sites]
    client.site_quotas.permit(organisation, [each.id for each in sites] or None, project=project)
    named = ", ".join(each.name for each in sites) or f"every site that {'it' if project else 'its seller'} may use"
    out.say(f"{organisation}/{project} may use {named}" if project else f"{organisation} may use {named}")
    return 0
