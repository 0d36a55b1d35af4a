"""Work that other processes are given; by itself, so that they have little to load."""

import os
import signal
from datetime import timedelta
from pathlib import Path

from gradumen.core.errors import Invalid
from gradumen.jobs.leases import now
from gradumen.jobs.rating import rate
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating import current_charges


def rated_by(where: Path, uow: UnitOfWork, pairs: list[int]) -> int:
    """Rate pairs, and say which process did."""
    count = rate(uow, pairs, rests=0, least=timedelta(0))
    with where.open("a") as file:
        file.write(f"{os.getpid()}\n")
    return count


def lost_once(where: Path, uow: UnitOfWork, pairs: list[int]) -> int:
    """The first process that rates is killed when all is stored, before it holds."""
    if not where.exists():
        where.touch()
        attempt = current_charges.begin(uow, pairs=pairs, at=now())
        current_charges.add(uow, rows=current_charges.rated_rows(uow, attempt=attempt))
        os.kill(os.getpid(), signal.SIGKILL)
    return rate(uow, pairs, rests=0, least=timedelta(0))


def refused(_: UnitOfWork, piece: int) -> int:
    """What cannot be done says why."""
    raise Invalid(f"piece {piece} is odd", field="piece", value=piece)
