"""Rates pairs, and makes what spend is summed from of what holds then."""

import gc
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import timedelta

from gradumen.jobs.leases import now
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating.current_charges import rate_pairs
from gradumen.usecases.spend.link_sums import refresh_columns


@contextmanager
def uncollected() -> Iterator[None]:
    """Rating makes many objects and no cycles: looking for cycles again and again takes a third of its time."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()


def rate(uow: UnitOfWork, pairs: Sequence[int], *, rests: float, least: timedelta) -> int:
    """See `gradumen.usecases.rating.current_charges.rate_pairs`, whose answers and refusals these are."""
    with uncollected():
        rated = rate_pairs(uow, pairs, now=now, rests=rests, least=least)
        refresh_columns(uow, pairs=pairs)
    return rated
