"""Pieces of a task that do not depend on each other: done by other processes at once where there are many."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, as_completed
from contextlib import AbstractContextManager
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

from gradumen.store.unit_of_work import UnitOfWork, make_engine

P = TypeVar("P")
R = TypeVar("R")
FEW = 4
"""So many pieces are done where they are: processes take a second to start."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where a process finds what it works on: the database, and the folder of columns."""

    url: str
    columns: Path | None


@lru_cache(maxsize=4)
def opened(place: Place) -> UnitOfWork:
    """A process opens a place once."""
    return UnitOfWork(make_engine(place.url, pool_size=2), place.columns)


@dataclass(frozen=True, slots=True)
class Pieces:
    """Does pieces of work in other processes, where there are any.

    Each piece may be done twice, when the process that did it is lost, so doing it again has to do no harm.
    """

    place: Place
    executor: Callable[[], AbstractContextManager[Executor]]

    def done(self, work: Callable[[UnitOfWork, P], R], pieces: Sequence[P]) -> Iterator[R]:
        """What comes of each, as they get done; no further one begins after the first that fails."""
        with self.executor() as executor:
            running = [executor.submit(_work, self.place, work, piece) for piece in pieces]
            try:
                for each in as_completed(running):
                    yield each.result()
            finally:
                for each in running:
                    each.cancel()


def done(
    uow: UnitOfWork, others: Pieces | None, work: Callable[[UnitOfWork, P], R], pieces: Sequence[P]
) -> Iterator[R]:
    """Do pieces of work: a few of them here, many by others where there are any; gives what comes of each.

    Args:
        work: a function that other processes can import, or a `functools.partial` of one.
    """
    if others is None or len(pieces) <= FEW:
        return (work(uow, piece) for piece in pieces)
    return others.done(work, pieces)


def _work(place: Place, work: Callable[[UnitOfWork, P], R], piece: P) -> R:
    return work(opened(place), piece)
