"""Holds accounts in clouds to what their organisation may have now."""

from gradumen.adapters.door import Door
from gradumen.jobs.clouds import hold_to
from gradumen.jobs.leases import Held, now
from gradumen.usecases.quotas.cloud_limits import Limited, accounts_to_limit, note_kept


def hold(held: Held, door: Door) -> None:
    """Hold each account to its limits; where they were changed meanwhile, again, so that the last change stands."""
    done: list[Limited] = []
    while (accounts := accounts_to_limit(held.uow, lease=held.lease, at=now())) != done:
        done = accounts
        for count, each in enumerate(accounts):
            held.progress(count, len(accounts))
            kept = hold_to(held, door, each.cloud_name, each.reaching, each.external_id, each.limits)
            note_kept(held.uow, lease=held.lease, account=each.id, kept=kept)
    held.progress(len(done), len(done))
