"""gradumen migrate."""

import argparse
from typing import Any

from gradumen.cli.output import Out


def register(nouns: Any) -> None:
    """Add the command."""
    parser = nouns.add_parser(
        "migrate", help="bring the shared database (GRADUMEN_DATABASE_URL) to this version's schema"
    )
    parser.set_defaults(run=run_migrate, local=True)


def run_migrate(arguments: argparse.Namespace, out: Out) -> int:
    """Migrate."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.migrate import migrate
    from gradumen.settings import Settings

    out.say(f"the database is at schema {migrate(Settings.read())}")
    return 0
