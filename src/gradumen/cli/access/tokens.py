"""gradumen tokens."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client
from gradumen.core.permissions import Role


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "tokens", "keys of programs")
    verbs.add("list", run_list, "your tokens")
    create = verbs.add("create", run_create, "make a token; it is shown once")
    create.add_argument("--name", required=True)
    create.add_argument("--role", type=Role, choices=list(Role), required=True)
    create.add_argument("--days", type=int, default=90)
    add_organisation(create)
    create.set_defaults(local=True)
    add_password(create)
    revoke = verbs.add("revoke", run_revoke, "withdraw a token; safe to repeat")
    revoke.add_argument("id", type=UUID)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show tokens."""
    found = client.tokens.list()
    out.body(found)
    out.table(
        ("NAME", "ORGANISATION", "ROLE", "UNTIL", "STATE", "ID"),
        [
            (
                each.name,
                each.organisation,
                each.role,
                f"{each.expires_at:%Y-%m-%d}",
                "withdrawn" if each.revoked else "valid",
                str(each.id),
            )
            for each in found
        ],
        right=("ID",),
    )
    return 0


def run_create(arguments: argparse.Namespace, out: Out) -> int:
    """Make a token."""
    with signed_in(arguments) as client:
        made = client.tokens.create(
            own_organisation(arguments), name=arguments.name, role=arguments.role, days=arguments.days
        )
    out.body(made)
    out.say(made.secret or "")
    out.note("keep it; it is not shown again")
    return 0


def run_revoke(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Withdraw a token."""
    client.tokens.revoke(arguments.id)
    out.say("withdrawn")
    return 0
