"""gradumen members."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client
from gradumen.core.errors import NotFound
from gradumen.core.permissions import Role
from gradumen.wire.access.members import MemberBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "members", "users of an organisation and their roles")
    listing = verbs.add("list", run_list, "the members of an organisation")
    change = verbs.add("change", run_change, "give a member another role, or let the membership rest or go on")
    change.add_argument("--role", type=Role, choices=list(Role))
    rest = change.add_mutually_exclusive_group()
    rest.add_argument("--disable", action="store_const", const=True, dest="disabled", help="let the membership rest")
    rest.add_argument("--enable", action="store_const", const=False, dest="disabled", help="let it go on")
    remove = verbs.add("remove", run_remove, "end a membership, with its tokens")
    reset = verbs.add("reset-password", run_reset, "make a link by which a member sets a new password; shown once")
    for each in (change, remove, reset):
        each.add_argument("email")
        each.set_defaults(local=True)
        add_password(each)
    for each in (listing, change, remove, reset):
        add_organisation(each)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show members."""
    found = client.members.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("E-MAIL", "NAME", "ROLE", "STATE", "SECOND FACTOR"),
        [
            (
                each.email,
                each.name,
                each.role,
                "disabled" if each.disabled else "active",
                "yes" if each.second_factor else "none",
            )
            for each in found
        ],
    )
    return 0


def _member(arguments: argparse.Namespace, client: Client) -> MemberBody:
    for each in client.members.list(own_organisation(arguments)):
        if each.email.lower() == arguments.email.lower():
            return each
    raise NotFound("member", arguments.email)


def run_change(arguments: argparse.Namespace, out: Out) -> int:
    """Change a member."""
    with signed_in(arguments) as client:
        member = _member(arguments, client)
        changed = client.members.change(
            own_organisation(arguments), member.user_id, role=arguments.role, disabled=arguments.disabled
        )
    out.body(changed)
    out.say(f"{changed.email} is {changed.role}{', disabled' if changed.disabled else ''}")
    return 0


def run_remove(arguments: argparse.Namespace, out: Out) -> int:
    """Remove a member."""
    with signed_in(arguments) as client:
        member = _member(arguments, client)
        client.members.remove(own_organisation(arguments), member.user_id)
    out.say(f"{member.email} is no member any more; its tokens for this organisation are withdrawn")
    return 0


def run_reset(arguments: argparse.Namespace, out: Out) -> int:
    """Make a reset link."""
    with signed_in(arguments) as client:
        member = _member(arguments, client)
        secret = client.members.make_password_reset(own_organisation(arguments), member.user_id)
    out.say(f"{client.connection.url}/reset#{secret}")
    out.note(f"hand it to {member.email}; it is not shown again, works once, and lasts a day")
    return 0
