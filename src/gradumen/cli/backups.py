"""gradumen backup, gradumen restore."""

import argparse
from pathlib import Path
from typing import Any

from gradumen.cli.output import Out


def register(nouns: Any) -> None:
    """Add the commands."""
    backup = nouns.add_parser("backup", help="write everything into one file, also while the service runs")
    backup.add_argument("file", type=Path)
    backup.add_argument("--data", type=Path, help="directory of the private database (GRADUMEN_DATA)")
    backup.set_defaults(run=run_backup, local=True)
    restore = nouns.add_parser("restore", help="restore a backup into a directory or database that is empty")
    restore.add_argument("file", type=Path)
    restore.add_argument("--data", type=Path, help="directory of the new private database (GRADUMEN_DATA)")
    restore.set_defaults(run=run_restore, local=True)


def run_backup(arguments: argparse.Namespace, out: Out) -> int:
    """Write a backup."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.backup import back_up
    from gradumen.settings import Settings

    made = back_up(Settings.read(data=arguments.data), arguments.file)
    out.say(f"{arguments.file}: {made.bytes} bytes, schema {made.schema}, made {made.made_at}")
    out.say("It holds everything that the service knows: keep it as safe as the service itself.")
    return 0


def run_restore(arguments: argparse.Namespace, out: Out) -> int:
    """Restore a backup."""
    # The server's packages are not there in a bare install of client and command line.
    from gradumen.run.backup import restore
    from gradumen.settings import Settings

    settings = Settings.read(data=arguments.data)
    made = restore(settings, arguments.file)
    out.say(f"restored the backup of {made.made_at} (schema {made.schema}); start the service on it")
    return 0
