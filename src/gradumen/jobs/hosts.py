"""Looks at the hosts of a cloud: asks outside of any transaction, notes all that was told within one."""

from gradumen.adapters.door import Door
from gradumen.core.errors import GradumenError, Unavailable
from gradumen.core.quotas.hosts import check_told
from gradumen.jobs.clouds import asked
from gradumen.jobs.leases import Held, now
from gradumen.usecases.quotas.hosts import cloud_to_look_at, note_problem, take_look


def look(held: Held, door: Door) -> None:
    """Look at a cloud's hosts. What goes wrong outside is told on them, and looked at again later."""
    try:
        cloud = cloud_to_look_at(held.uow, lease=held.lease)
        if cloud is None:
            return
        stocks = asked(door, cloud.name, cloud.reaching, lambda reached: reached.hosts())
        if stocks is not None:
            check_told(stocks)
    except GradumenError as error:
        note_problem(
            held.uow, lease=held.lease, problem=error.message, passing=isinstance(error, Unavailable), at=now()
        )
        return
    take_look(held.uow, lease=held.lease, stocks=stocks, at=now())
    count = len({each.host for each in stocks or ()})
    held.progress(count, count)
