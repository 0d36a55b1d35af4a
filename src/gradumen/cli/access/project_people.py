"""gradumen project-people: who answers for a project and who works in it."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.access.project_people import ProjectPeopleBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "project-people", "who answers for a project and who works in it")
    show = verbs.add("show", run_show, "who they are")
    set = verbs.add("set", run_set, "say who they are; safe to repeat")
    for verb in (show, set):
        verb.add_argument("project")
        add_organisation(verb)
    set.add_argument("--owner", metavar="ADDRESS", help="who answers for it; left out: nobody")
    set.add_argument("members", nargs="*", metavar="ADDRESS", help="who works in it")


def _show(found: ProjectPeopleBody, out: Out) -> int:
    out.body(found)
    rows = [(found.owner, "answers for it")] if found.owner else []
    out.table(("PERSON", ""), [*rows, *((each, "works in it") for each in found.members)])
    if not found.owner and not found.members:
        out.say("nobody was named for it; administrators are told what concerns it")
    return 0


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show people."""
    return _show(client.project_people.get(own_organisation(arguments), arguments.project), out)


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set people."""
    slug = own_organisation(arguments)
    people = client.project_people.set(slug, arguments.project, owner=arguments.owner, members=arguments.members)
    return _show(people, out)
