"""What a process of the service is told by its parent, and how it ends with it.

It comes on standard input, so that no password stands in a list of processes; when standard input ends, the parent is
gone, and so is the child.
"""

import json
import logging
import os
import sys
import threading
from dataclasses import dataclass, fields

from gradumen.settings import Settings

CODE_FILE = "set-up-code"


@dataclass(frozen=True, slots=True)
class Told:
    """Settings, the database by the service's account and by the one that changes tables, the listening socket."""

    settings: Settings
    url: str
    owner_url: str
    listening: int

    def written(self) -> bytes:
        """As one line."""
        plain = {each.name: getattr(self, each.name) for each in fields(self)}
        return json.dumps({**plain, "settings": self.settings.model_dump(mode="json")}).encode() + b"\n"


def begin() -> Told:
    """Hear what the parent tells, and end when it is gone."""
    told = json.loads(sys.stdin.buffer.readline())
    settings = Settings(**told.pop("settings"))
    log_to_stderr()
    threading.Thread(target=_end_with_parent, name="parent", daemon=True).start()
    return Told(settings, **told)


def log_to_stderr() -> None:
    """Where parent and children write what happens."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(name)s %(message)s", stream=sys.stderr)
    logging.getLogger("alembic").setLevel(logging.WARNING)


def _end_with_parent() -> None:
    # Not through sys.stdin, whose lock the interpreter takes when it ends: it would abort instead.
    while os.read(sys.stdin.fileno(), 4096):
        pass
    os._exit(1)
