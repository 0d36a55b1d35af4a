"""gradumen member-services."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.core.errors import NotFound


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "member-services", "of which services a member orders and sells plans")
    give = verbs.add("set", run_set, "hold a member to some services, or to none of them; safe to repeat")
    give.add_argument("email")
    which = give.add_mutually_exclusive_group(required=True)
    which.add_argument("--only", metavar="SERVICE,...", type=_services, help="these, by their slugs")
    which.add_argument("--all", action="store_true", help="all that its role may")
    give.set_defaults(local=True)
    add_password(give)
    add_organisation(give)


def _services(raw: str) -> list[str]:
    return [each.strip() for each in raw.split(",") if each.strip()]


def run_set(arguments: argparse.Namespace, out: Out) -> int:
    """Set them."""
    own = own_organisation(arguments)
    with signed_in(arguments) as client:
        found = [each for each in client.members.list(own) if each.email.lower() == arguments.email.lower()]
        if not found:
            raise NotFound("member", arguments.email)
        member = client.member_services.set(own, found[0].user_id, None if arguments.all else arguments.only)
    out.body(member)
    what = "of all services" if member.services is None else f"of {', '.join(member.services) or 'no service'} only"
    out.say(f"{member.email} orders and sells plans {what}")
    return 0
