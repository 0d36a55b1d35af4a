"""Processes for pieces of a task: a pool of this machine's, or those of a Dask cluster."""

import multiprocessing
import os
import threading
from collections.abc import Iterator
from concurrent.futures import Executor, ProcessPoolExecutor
from contextlib import contextmanager
from functools import partial
from multiprocessing import connection

from gradumen.core.errors import Invalid
from gradumen.jobs.pieces import Pieces, Place
from gradumen.settings import Settings

MOST = 8
"""Processes that a pool has by itself: each takes 150 MiB."""
DASK_SECONDS = 10
"""How long a scheduler is waited for."""


def pieces_of(settings: Settings, url: str) -> Pieces:
    """The processes that settings name."""
    place = Place(url, settings.columns)
    if settings.dask:
        return Pieces(place, partial(dask_cluster, settings.dask))
    processes = settings.piece_processes or min(len(os.sched_getaffinity(0)), MOST)
    return Pieces(place, partial(process_pool, processes))


@contextmanager
def process_pool(processes: int) -> Iterator[Executor]:
    """Processes that end with the work, or with the process that asked for them."""
    # Not forked: a copy of a process with threads may wait for ever for a lock that one of them had.
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(processes, mp_context=context, initializer=_watch_parent) as executor:
        yield executor


def _watch_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is None:
        raise RuntimeError("this process has no parent to work for")

    def watch() -> None:
        connection.wait([parent.sentinel])
        os._exit(1)

    threading.Thread(target=watch, name="parent", daemon=True).start()


@contextmanager
def dask_cluster(scheduler: str) -> Iterator[Executor]:
    """The workers of a Dask cluster; they need this package, and reach the database by the same address.

    Raises:
        Invalid: the cluster's package is not installed, or the scheduler does not answer.
    """
    try:
        from distributed import Client  # only installed where a cluster is used
    except ImportError:
        raise Invalid(
            "GRADUMEN_DASK names a scheduler, but the package is not installed; pip install 'gradumen[dask]'",
            field="GRADUMEN_DASK",
            value=scheduler,
        ) from None
    try:
        client = Client(scheduler, timeout=DASK_SECONDS, set_as_default=False)  # type: ignore[no-untyped-call]  # it has no types
    except (OSError, ValueError) as problem:
        raise Invalid(
            f"the scheduler that GRADUMEN_DASK names, {scheduler}, does not answer: {problem}",
            field="GRADUMEN_DASK",
            value=scheduler,
        ) from None
    with client, client.get_executor(pure=False, retries=2) as executor:  # type: ignore[no-untyped-call]  # as above
        yield executor
