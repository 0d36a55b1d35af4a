"""gradumen second-factors."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, ask_password, sign_in, signed_in, url_of
from gradumen.client import Client
from gradumen.core.errors import NotFound


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "second-factors", "codes of an app beside your password")
    verbs.add("show", run_show, "whether you have one, and how many recovery codes are left")
    begin = verbs.add("set-up", run_set_up, "set one up: a secret for an app, then a first code of it")
    begin.add_argument("email")
    renew = verbs.add("renew-codes", run_renew, "make new recovery codes in the place of those that are there")
    drop = verbs.add("drop", run_drop, "give it up")
    take = verbs.add("take", run_take, "take a member's away, who lost it with its recovery codes")
    take.add_argument("email")
    add_organisation(take)
    for each in (begin, renew, drop, take):
        each.set_defaults(local=True)
        add_password(each)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show it."""
    found = client.second_factors.get()
    out.body(found)
    if found.since is None:
        out.say("you have no second factor; set one up with: gradumen second-factors set-up")
    else:
        out.say(f"you have one since {found.since:%Y-%m-%d %H:%M} UTC, and {found.recovery_codes} recovery codes")
    return 0


def run_set_up(arguments: argparse.Namespace, out: Out) -> int:
    """Set it up, in one go."""
    password = ask_password(arguments, f"Password of {arguments.email}: ")
    with Client(url_of(arguments)) as client:
        sign_in(arguments, client, arguments.email, password)
        made = client.second_factors.begin(password)
        out.say(f"Type this secret into your app for codes: {made.secret}\nor give it this address: {made.uri}\n")
        codes = client.second_factors.confirm(ask_password(arguments, "The code that it shows: "))
    out.body(codes)
    _say_codes(codes.codes, out)
    return 0


def run_renew(arguments: argparse.Namespace, out: Out) -> int:
    """Make new recovery codes."""
    with signed_in(arguments) as client:
        codes = client.second_factors.renew_recovery_codes(ask_password(arguments, "One more code: "))
    out.body(codes)
    _say_codes(codes.codes, out)
    return 0


def run_drop(arguments: argparse.Namespace, out: Out) -> int:
    """Give it up."""
    with signed_in(arguments) as client:
        client.second_factors.drop(ask_password(arguments, "One more code: "))
    out.say("given up; where one is demanded you have no rights until you set up another")
    return 0


def run_take(arguments: argparse.Namespace, out: Out) -> int:
    """Take a member's away."""
    organisation = own_organisation(arguments)
    with signed_in(arguments) as client:
        found = [each for each in client.members.list(organisation) if each.email.lower() == arguments.email.lower()]
        if not found:
            raise NotFound("member", arguments.email)
        client.second_factors.take(organisation, found[0].user_id)
    out.say(f"{found[0].email} signs in by password alone, and can set up another")
    return 0


def _say_codes(codes: list[str], out: Out) -> None:
    out.say("Keep these recovery codes where nobody else finds them; each stands in for your app once:")
    for each in codes:
        out.say(f"  {each}")
