"""Works off what came in: usage, and whose imported costs are, as far as anything is marked."""

from gradumen.jobs.leases import now
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.metering.cost_quantities import mark_ready, read_quantities
from gradumen.usecases.metering.day_shares import mark_over
from gradumen.usecases.metering.stale_costs import refresh_costs
from gradumen.usecases.metering.stale_usage import refresh_usage


def work_off(uow: UnitOfWork) -> int:
    """Work off all marks, and what waited for its time or its day to be over; gives how many that were.

    First what cost files say was used, which is readings like all others then.
    """
    mark_ready(uow, at=now())
    mark_over(uow, at=now())
    sets = read_quantities(uow, at=now())
    return sets + refresh_usage(uow, at=now()) + refresh_costs(uow, at=now())
