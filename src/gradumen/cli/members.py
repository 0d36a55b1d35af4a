"""gradumen members."""

import argparse
import getpass
import sys
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.permissions import Role


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "members", "users of an organisation and their roles")
    listing = verbs.add("list", run_list, "the members of an organisation")
    add_organisation(listing)
    add = verbs.add("add", run_add, "add a new user")
    add.add_argument("email")
    add.add_argument("--name", required=True)
    add.add_argument("--role", type=Role, choices=list(Role), required=True)
    add.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    add_organisation(add)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show members."""
    found = client.members.list(own_organisation(arguments))
    out.body(found)
    out.table(("E-MAIL", "NAME", "ROLE"), [(each.email, each.name, each.role) for each in found])
    if not found:
        out.say("no members yet; add one with: gradumen members add")
    return 0


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Add a user."""
    password = sys.stdin.readline().rstrip("\n") if arguments.password_stdin else getpass.getpass("New password: ")
    made = client.members.add(
        own_organisation(arguments), email=arguments.email, name=arguments.name, password=password, role=arguments.role
    )
    out.body(made)
    out.say(f"{made.email} is {made.role}")
    return 0
