"""gradumen invitations."""

import argparse
import getpass
import sys
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in, url_of
from gradumen.client import Client
from gradumen.core.permissions import Role


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "invitations", "offers of membership to one address each")
    listing = verbs.add("list", run_list, "the open invitations to an organisation")
    create = verbs.add("create", run_create, "invite an address; the link is shown once")
    create.add_argument("email")
    create.add_argument("--role", type=Role, choices=list(Role), required=True)
    create.set_defaults(local=True)
    add_password(create)
    accept = verbs.add("accept", run_accept, "accept as a new user, with the link or what follows its #")
    accept.add_argument("link")
    accept.add_argument("--name", required=True)
    accept.set_defaults(local=True)
    accept.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    withdraw = verbs.add("withdraw", run_withdraw, "take an invitation back; safe to repeat")
    withdraw.add_argument("id", type=UUID)
    for each in (listing, create):
        add_organisation(each)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show open invitations."""
    found = client.invitations.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("E-MAIL", "ROLE", "FROM", "UNTIL", "ID"),
        [
            (each.email, each.role, each.invited_from, f"{each.expires_at:%Y-%m-%d %H:%M}", str(each.id))
            for each in found
        ],
        right=("ID",),
    )
    if not found:
        out.say("nobody is invited; invite with: gradumen invitations create")
    return 0


def run_create(arguments: argparse.Namespace, out: Out) -> int:
    """Invite."""
    with signed_in(arguments) as client:
        made = client.invitations.create(own_organisation(arguments), email=arguments.email, role=arguments.role)
    out.body(made)
    out.say(f"{client.connection.url}/join#{made.secret}")
    out.note(f"hand it to {made.email}; it is not shown again and lasts until {made.expires_at:%Y-%m-%d %H:%M} UTC")
    return 0


def run_accept(arguments: argparse.Namespace, out: Out) -> int:
    """Accept as a new user."""
    password = sys.stdin.readline().rstrip("\n") if arguments.password_stdin else getpass.getpass("New password: ")
    with Client(url_of(arguments)) as anybody:
        joined = anybody.invitations.accept(arguments.link.rpartition("#")[2], name=arguments.name, password=password)
    out.body(joined)
    out.say(f"{joined.role} of {joined.name}; sign in with: gradumen sign-in")
    return 0


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Withdraw."""
    client.invitations.withdraw(arguments.id)
    out.say("withdrawn")
    return 0
