"""gradumen serve."""

import argparse
from pathlib import Path
from typing import Any

from gradumen.cli.output import Out


def register(nouns: Any) -> None:
    """Add the command."""
    parser = nouns.add_parser("serve", help="run the service, with a private database unless one is named")
    parser.add_argument("--data", type=Path, help="directory of the private database (GRADUMEN_DATA)")
    parser.add_argument("--host", help="address to listen on (GRADUMEN_HOST)")
    parser.add_argument("--port", type=int, help="port to listen on (GRADUMEN_PORT)")
    parser.add_argument("--console", type=Path, help="directory of the built console (GRADUMEN_CONSOLE)")
    parser.set_defaults(run=run_serve, local=True)


def run_serve(arguments: argparse.Namespace, out: Out) -> int:
    """Run the service until it is told to stop."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.serve import serve
    from gradumen.settings import Settings

    serve(Settings.read(data=arguments.data, host=arguments.host, port=arguments.port, console=arguments.console))
    return 0
