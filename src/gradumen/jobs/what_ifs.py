"""Does a what-if: usage brought up to date, then its buyers priced as they are and as they would be."""

from collections.abc import Sequence
from functools import partial
from uuid import UUID

from gradumen.jobs.leases import Held, now
from gradumen.jobs.marks import work_off
from gradumen.jobs.pieces import Pieces, done
from gradumen.jobs.rating import uncollected
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating.what_ifs import list_pieces, price_buyers


def make(held: Held, others: Pieces | None) -> None:
    """Price all buyers; those that an earlier attempt priced are priced again.

    Args:
        others: may price many buyers at once.
    """
    with held.step("bring usage up to date") as step:
        step.result["marks worked off"] = work_off(held.uow)
    with held.step("price again", period=held.lease.subject) as step:
        pieces = list_pieces(held.uow, lease=held.lease, at=now())
        made, total = 0, sum(len(piece) for piece in pieces)
        for count in done(held.uow, others, partial(price, what_if=held.lease.task), pieces):
            made += count
            held.progress(made, total)
        step.result["buyers"] = made


def price(uow: UnitOfWork, buyers: Sequence[UUID], *, what_if: UUID) -> int:
    """Price some buyers; gives how many."""
    with uncollected():
        price_buyers(uow, what_if=what_if, buyers=buyers)
    return len(buyers)
