"""One service for each data directory."""

import fcntl
import os
from pathlib import Path
from typing import IO

from gradumen.core.errors import Conflict

FILE = "service.lock"


def lock_directory(data: Path) -> IO[str]:
    """Take a data directory until the process ends or the file that is given back is closed.

    Raises:
        Conflict: another service has it; names its process.
    """
    data.mkdir(parents=True, exist_ok=True)
    file = (data / FILE).open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        file.seek(0)
        holder = file.read().strip() or "unknown"
        file.close()
        raise Conflict(
            f"a service runs on {data} already (process {holder}); stop it first, or give another --data"
        ) from None
    file.truncate(0)
    file.write(f"{os.getpid()}\n")
    file.flush()
    return file
