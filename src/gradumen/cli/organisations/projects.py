"""gradumen projects: units of organisations that use and are charged."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.organisations.projects import ProjectBody, ProjectLevels


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "projects", "units of an organisation that use and are charged, as a tree")
    listing = verbs.add("list", run_list, "the projects of an organisation, each below the one that it is under")
    create = verbs.add("create", run_create, "add a project")
    change = verbs.add("change", run_change, "change what is given of one")
    for verb in (create, change):
        verb.add_argument("slug")
        verb.add_argument("--name", required=verb is create)
        verb.add_argument("--cost-centre", help="of a project that is there: from today on, '' for none")
        verb.add_argument("--under", metavar="PROJECT", help="the one that it is under, '' for the top")
    levels = verbs.add("levels", run_levels, "what the levels of the tree are called; with names, name them")
    levels.add_argument("names", nargs="*", metavar="NAME", help="from the top: Division School Class")
    for verb in (listing, create, change, levels):
        add_organisation(verb)


def _show(found: list[ProjectBody], out: Out) -> None:
    rows = [("  " * (each.level - 1) + each.slug, each.name, each.cost_centre or "") for each in found]
    out.table(("PROJECT", "NAME", "COST CENTRE"), rows)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show projects."""
    found = client.projects.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no projects yet; add one with: gradumen projects create")
    return 0


def run_create(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Add a project."""
    made = client.projects.create(
        own_organisation(arguments),
        slug=arguments.slug,
        name=arguments.name,
        cost_centre=arguments.cost_centre,
        parent=arguments.under or None,
    )
    out.body(made)
    out.say(f"project '{made.organisation}/{made.slug}' is there")
    return 0


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change a project."""
    slug = own_organisation(arguments)
    found = next((each for each in client.projects.list(slug) if each.slug == arguments.slug), None)
    if found is None:
        raise Invalid(f"{slug} has no project '{arguments.slug}'; see gradumen projects list", field="slug")
    given = {"name": arguments.name, "cost_centre": arguments.cost_centre, "parent": arguments.under}
    changes = {name: value or None for name, value in given.items() if value is not None}
    made = client.projects.change(slug, arguments.slug, version=found.version, **changes)
    out.body(made)
    _show([made], out)
    return 0


def run_levels(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show or name levels."""
    slug = own_organisation(arguments)
    found = client.projects.set_levels(slug, arguments.names) if arguments.names else client.projects.levels(slug)
    out.body(ProjectLevels(names=found))
    out.table(("LEVEL", "NAME"), [(str(level), name) for level, name in enumerate(found, 1)])
    if not found:
        out.say("its levels have no names; name them with: gradumen projects levels NAME ...")
    return 0
