"""gradumen set-up, sign-in, sign-out, who-am-i, change-password, reset-password."""

import argparse
import os
from typing import Any

from gradumen.cli.output import Out
from gradumen.cli.profiles import read_profiles, store_profile
from gradumen.cli.signing import ask_password, sign_in, url_of
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.access.sessions import SetUp


def register(nouns: Any) -> None:
    """Add the commands."""
    begin = nouns.add_parser("sign-in", help="sign in and store a token in the profile")
    begin.add_argument("email")
    begin.add_argument("--organisation", "-o", help="which of your organisations; needed when you have several")
    begin.add_argument("--days", type=int, default=90, help="how long the token lasts")
    begin.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    begin.set_defaults(run=run_sign_in, local=True)
    sign_out = nouns.add_parser("sign-out", help="forget the profile and withdraw its token")
    sign_out.set_defaults(run=run_sign_out, local=True)
    who = nouns.add_parser("who-am-i", help="show who is signed in, with roles")
    who.add_argument("--json", action="store_true", help="print JSON for programs")
    who.set_defaults(run=run_who_am_i)
    set_up = nouns.add_parser("set-up", help="make the provider and its first administrator")
    for name in ("code", "slug", "name", "country", "currency", "billing-zone", "email", "user-name"):
        set_up.add_argument(f"--{name}", required=True)
    set_up.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    set_up.set_defaults(run=run_set_up, local=True)
    _registerask_password(nouns)


def _registerask_password(nouns: Any) -> None:
    change = nouns.add_parser("change-password", help="change your password; your sessions elsewhere end")
    change.add_argument("email")
    change.add_argument("--password-stdin", action="store_true", help="read the old and the new one, a line each")
    change.set_defaults(run=run_change_password, local=True)
    reset = nouns.add_parser("reset-password", help="set a new password by a link that an administrator made")
    reset.add_argument("link")
    reset.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    reset.set_defaults(run=run_reset_password, local=True)


def run_sign_in(arguments: argparse.Namespace, out: Out) -> int:
    """Sign in by password, make a token, store it."""
    with Client(url_of(arguments)) as client:
        session = sign_in(arguments, client, arguments.email, ask_password(arguments))
        own = {each.organisation: each for each in session.memberships}
        if not own and session.held_back:
            demanding = session.held_back[0].demanded_by
            raise Invalid(
                f"{demanding} demands a second factor; set it up with: gradumen second-factors set-up {session.email}"
            )
        chosen = arguments.organisation or (next(iter(own)) if len(own) == 1 else None)
        if chosen not in own:
            raise Invalid(
                f"choose one of your organisations with --organisation: {', '.join(own)}", field="organisation"
            )
        token = client.tokens.create(
            chosen, name=f"command line on {os.uname().nodename}", role=own[chosen].role, days=arguments.days
        )
        store_profile(
            arguments.profile,
            {
                "url": client.connection.url,
                "organisation": chosen,
                "token": token.secret or "",
                "token_id": str(token.id),
                "email": session.email,
            },
        )
    out.say(f"signed in as {session.email}, {own[chosen].role} of {own[chosen].name}; profile '{arguments.profile}'")
    return 0


def run_sign_out(arguments: argparse.Namespace, out: Out) -> int:
    """Withdraw the profile's token and forget it."""
    profile = read_profiles().get(arguments.profile)
    if profile is not None:
        with Client(profile["url"], profile["token"]) as client:
            client.tokens.revoke(profile["token_id"])
        store_profile(arguments.profile, None)
    out.say(f"signed out of profile '{arguments.profile}'")
    return 0


def run_who_am_i(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the caller."""
    session = client.session()
    out.body(session)
    out.say(f"{session.name} <{session.email}>, business time {session.now:%Y-%m-%d %H:%M} UTC")
    out.table(
        ("ORGANISATION", "NAME", "TYPE", "ROLE"),
        [(each.organisation, each.name, each.type, each.role) for each in session.memberships],
    )
    for each in session.held_back:
        out.say(
            f"{each.name}: nothing until you have a second factor, which {each.demanded_by} demands; see second-factors"
        )
    return 0


def run_set_up(arguments: argparse.Namespace, out: Out) -> int:
    """Make the provider."""
    body = SetUp(
        code=arguments.code,
        slug=arguments.slug,
        name=arguments.name,
        country=arguments.country,
        currency=arguments.currency,
        billing_zone=arguments.billing_zone,
        email=arguments.email,
        user_name=arguments.user_name,
        password=ask_password(arguments),
    )
    with Client(url_of(arguments)) as client:
        client.set_up(body)
    out.say(f"{body.name} is set up; sign in with: gradumen sign-in {body.email}")
    return 0


def run_change_password(arguments: argparse.Namespace, out: Out) -> int:
    """Change the password."""
    current, new = ask_password(arguments), ask_password(arguments, "New password: ")
    with Client(url_of(arguments)) as client:
        sign_in(arguments, client, arguments.email, current)
        client.sessions.change_password(current, new)
    out.say("changed; sessions elsewhere are over, tokens go on")
    return 0


def run_reset_password(arguments: argparse.Namespace, out: Out) -> int:
    """Set a password by a link."""
    with Client(url_of(arguments)) as client:
        client.sessions.reset_password(arguments.link.rpartition("#")[2], ask_password(arguments, "New password: "))
    out.say("set; sign in with: gradumen sign-in")
    return 0
