"""Rates pairs, and makes what spend is summed from of what holds then."""

from collections.abc import Sequence
from datetime import timedelta

from gradumen.jobs.leases import now
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating.current_charges import rate_pairs
from gradumen.usecases.spend.spend_rows import refresh_columns


def rate(uow: UnitOfWork, pairs: Sequence[int], *, rests: float, least: timedelta) -> int:
    """See `gradumen.usecases.rating.current_charges.rate_pairs`, whose answers and refusals these are."""
    rated = rate_pairs(uow, pairs, now=now, rests=rests, least=least)
    refresh_columns(uow, pairs=pairs)
    return rated
