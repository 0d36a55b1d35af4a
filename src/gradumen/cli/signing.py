"""Passwords asked for, and a client that is signed in by one."""

import argparse
import getpass
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from gradumen.cli.profiles import DEFAULT_URL, read_profiles
from gradumen.client import Client
from gradumen.core.errors import Invalid, SecondFactorNeeded
from gradumen.wire.access.sessions import SessionBody


def add_password(parser: argparse.ArgumentParser) -> None:
    """What `signed_in` takes."""
    parser.add_argument(
        "--password-stdin",
        action="store_true",
        help="read your password, and the code of a second factor, from lines of standard input",
    )


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
        sign_in(arguments, client, profile["email"], ask_password(arguments, f"Password of {profile['email']}: "))
        yield client


def sign_in(arguments: argparse.Namespace, client: Client, email: str, password: str) -> SessionBody:
    """Begin a session; who has a second factor is asked for its code."""
    try:
        return client.sign_in(email, password)
    except SecondFactorNeeded:
        return client.sign_in(email, password, ask_password(arguments, "Code of your second factor: "))


def ask_password(arguments: argparse.Namespace, prompt: str = "Password: ") -> str:
    if arguments.password_stdin:
        return sys.stdin.readline().rstrip("\n")
    try:
        return getpass.getpass(prompt)
    except EOFError:
        raise Invalid(
            "nobody is there to ask; give it on standard input, with --password-stdin", field="password"
        ) from None


def url_of(arguments: argparse.Namespace) -> str:
    """Where the service is: as given, as stored in the profile, or where it listens by itself."""
    profile = read_profiles().get(arguments.profile) or {}
    url: str = arguments.url or profile.get("url") or os.environ.get("GRADUMEN_URL") or DEFAULT_URL
    return url
