"""Waits for other processes to answer."""

import subprocess
import time
from collections.abc import Sequence
from pathlib import Path
from urllib.request import urlopen


def wait_until_answers(
    url: str, started: Sequence["subprocess.Popen[bytes]"], log: Path, *, seconds: float = 90
) -> None:
    """Wait until an address on loopback answers, as long as all processes behind it run; ``log`` is what they said."""
    deadline = time.monotonic() + seconds
    while not _answers(url):
        running = all(each.poll() is None for each in started)
        assert running and time.monotonic() < deadline, log.read_text()[-2000:]
        time.sleep(0.05)


def _answers(url: str) -> bool:
    """Not by a client that reads certificates first: asked again and again it takes a processor from who starts."""
    try:
        with urlopen(url, timeout=5):
            return True
    except OSError:
        return False
