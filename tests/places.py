"""Where test databases lie: in memory where there is room for them, which no disk keeps waiting; else on disk."""

import shutil
from pathlib import Path

MEMORY, NEEDED = Path("/dev/shm"), 6 * 1024**3  # its name is the kernel's


def quick_place() -> str:
    """A directory that the database's account may enter."""
    roomy = MEMORY.is_dir() and shutil.disk_usage(MEMORY).free > NEEDED
    return str(MEMORY) if roomy else "/var/tmp"
