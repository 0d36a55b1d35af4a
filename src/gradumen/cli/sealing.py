"""gradumen sealing."""

import argparse
from pathlib import Path
from typing import Any

from gradumen.cli.output import Out


def register(nouns: Any) -> None:
    """Add the verbs."""
    noun = nouns.add_parser("sealing", help="the keys of secrets, on the service's own machine")
    verbs = noun.add_subparsers(title="verbs", required=True, metavar="VERB")
    rotate = verbs.add_parser(
        "rotate", help="make a new key and seal every secret with it; safe while the service runs"
    )
    anew = verbs.add_parser("begin-anew", help="give up secrets whose key is lost: second factors are set up anew")
    for verb, run in ((rotate, run_rotate), (anew, run_begin_anew)):
        verb.add_argument("--data", type=Path, help="data directory of the service (GRADUMEN_DATA)")
        verb.set_defaults(run=run, local=True)


def run_rotate(arguments: argparse.Namespace, out: Out) -> int:
    """Make a new key."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.sealing import rotate
    from gradumen.settings import Settings

    settings = Settings.read(data=arguments.data)
    found = rotate(settings)
    out.say(f"{found} secrets are sealed with a new key; {settings.keys} keeps the one before until the next time")
    return 0


def run_begin_anew(arguments: argparse.Namespace, out: Out) -> int:
    """Give up what cannot be opened."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.sealing import begin_anew
    from gradumen.settings import Settings

    settings = Settings.read(data=arguments.data)
    out.say(f"{begin_anew(settings)} secrets were given up; {settings.keys} holds the keys of this database now")
    return 0
