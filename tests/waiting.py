"""Waits for other processes to answer."""

import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

import httpx


def wait_until_answers(
    url: str, started: Sequence["subprocess.Popen[bytes]"], log: Path, *, seconds: float = 60
) -> None:
    """Wait until an address on loopback answers, as long as all processes behind it run; ``log`` is what they said."""
    deadline = time.monotonic() + seconds
    while not _answers(url):
        running = all(each.poll() is None for each in started)
        assert running and time.monotonic() < deadline, log.read_text()[-2000:]
        time.sleep(0.05)


def _answers(url: str) -> bool:
    """Without certificates: to read them again and again takes a processor from who starts."""
    try:
        return httpx.get(url, timeout=5, trust_env=False, verify=False).is_success
    except httpx.HTTPError:
        return False
