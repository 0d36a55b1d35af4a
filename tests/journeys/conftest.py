"""A data directory that has the small world, copied for whoever starts a service of its own."""

import fcntl
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from pathlib import Path

import pytest

from tests.journeys.process import Process
from tests.places import quick_place
from tests.world import closing, make_world

Started = Callable[..., AbstractContextManager[Process]]


@contextmanager
def directory() -> Iterator[Path]:
    """A new one that the database's account may enter."""
    with tempfile.TemporaryDirectory(prefix="gradumen-own-", dir=quick_place(), ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        yield Path(folder)


@pytest.fixture(scope="session")
def prepared(testrun_uid: str) -> Iterator[Path]:
    """The directory of a service that made the world and was stopped: one for all processes that run tests."""
    folder = Path(f"/var/tmp/gradumen-own-{testrun_uid}")
    with folder.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            folder.mkdir(mode=0o711)
            service = Process(folder)
            service.start()
            with closing(make_world(service.url, (folder / "set-up-code").read_text().strip())) as world:
                world.settle()
            service.stop()
        fcntl.flock(lock, fcntl.LOCK_SH)
        yield folder
        with suppress(BlockingIOError):
            # Whoever is the last puts it away.
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            shutil.rmtree(folder, ignore_errors=True)
            folder.with_suffix(".lock").unlink(missing_ok=True)


@pytest.fixture(scope="session")
def started(prepared: Path) -> Started:
    """Starts a service with the small world, on a directory of its own, with settings."""

    @contextmanager
    def start(**environment: str) -> Iterator[Process]:
        with directory() as folder:
            subprocess.run(["cp", "-a", f"{prepared}/.", str(folder)], check=True)
            service = Process(folder, **environment)
            service.start()
            yield service
            service.stop()

    return start
