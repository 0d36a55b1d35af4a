"""gradumen set-up, sign-in, sign-out, who-am-i, change-password, reset-password."""

import argparse
import getpass
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from gradumen.cli.output import Out
from gradumen.cli.profiles import DEFAULT_URL, read_profiles, store_profile
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.access.sessions import SetUp


def register(nouns: Any) -> None:
    """Add the commands."""
    sign_in = nouns.add_parser("sign-in", help="sign in and store a token in the profile")
    sign_in.add_argument("email")
    sign_in.add_argument("--organisation", "-o", help="which of your organisations; needed when you have several")
    sign_in.add_argument("--days", type=int, default=90, help="how long the token lasts")
    sign_in.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    sign_in.set_defaults(run=run_sign_in, local=True)
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
    _register_password(nouns)


def _register_password(nouns: Any) -> None:
    change = nouns.add_parser("change-password", help="change your password; your sessions elsewhere end")
    change.add_argument("email")
    change.add_argument("--password-stdin", action="store_true", help="read the old and the new one, a line each")
    change.set_defaults(run=run_change_password, local=True)
    reset = nouns.add_parser("reset-password", help="set a new password by a link that an administrator made")
    reset.add_argument("link")
    reset.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    reset.set_defaults(run=run_reset_password, local=True)


def add_password(parser: argparse.ArgumentParser) -> None:
    """What `signed_in` takes."""
    parser.add_argument("--password-stdin", action="store_true", help="read your password from standard input")


@contextmanager
def signed_in(arguments: argparse.Namespace) -> Iterator[Client]:
    """A session of the profile's user, who is asked for the password: members are made by people, not by tokens.

    Raises:
        Invalid: nobody is signed in with this profile.
    """
    profile = read_profiles().get(arguments.profile)
    if profile is None:
        raise Invalid("sign in first: gradumen sign-in", field="profile", value=arguments.profile)
    with Client(url_of(arguments)) as client:
        client.sign_in(profile["email"], _password(arguments, f"Password of {profile['email']}: "))
        yield client


def _password(arguments: argparse.Namespace, prompt: str = "Password: ") -> str:
    if arguments.password_stdin:
        return sys.stdin.readline().rstrip("\n")
    return getpass.getpass(prompt)


def url_of(arguments: argparse.Namespace) -> str:
    """Where the service is: as given, as stored in the profile, or where it listens by itself."""
    profile = read_profiles().get(arguments.profile) or {}
    url: str = arguments.url or profile.get("url") or os.environ.get("GRADUMEN_URL") or DEFAULT_URL
    return url


def run_sign_in(arguments: argparse.Namespace, out: Out) -> int:
    """Sign in by password, make a token, store it."""
    with Client(url_of(arguments)) as client:
        session = client.sign_in(arguments.email, _password(arguments))
        own = {each.organisation: each for each in session.memberships}
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
        password=_password(arguments),
    )
    with Client(url_of(arguments)) as client:
        client.set_up(body)
    out.say(f"{body.name} is set up; sign in with: gradumen sign-in {body.email}")
    return 0


def run_change_password(arguments: argparse.Namespace, out: Out) -> int:
    """Change the password."""
    current, new = _password(arguments), _password(arguments, "New password: ")
    with Client(url_of(arguments)) as client:
        client.sign_in(arguments.email, current)
        client.sessions.change_password(current, new)
    out.say("changed; sessions elsewhere are over, tokens go on")
    return 0


def run_reset_password(arguments: argparse.Namespace, out: Out) -> int:
    """Set a password by a link."""
    with Client(url_of(arguments)) as client:
        client.sessions.reset_password(arguments.link.rpartition("#")[2], _password(arguments, "New password: "))
    out.say("set; sign in with: gradumen sign-in")
    return 0
