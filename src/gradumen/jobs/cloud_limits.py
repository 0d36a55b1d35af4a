"""Holds accounts in clouds to what their organisation may have now."""

from functools import partial

from gradumen.adapters.cloud_accounts import CloudAccounts
from gradumen.adapters.clouds import asked
from gradumen.adapters.door import Door
from gradumen.core.quotas.measures import Measure
from gradumen.jobs.leases import Held, now
from gradumen.usecases.quotas.cloud_limits import Limited, accounts_to_limit, note_kept


def hold(held: Held, door: Door) -> None:
    """Hold each account to its limits; where they were changed meanwhile, again, so that the last change stands."""
    done: list[Limited] = []
    while (accounts := accounts_to_limit(held.uow, lease=held.lease, at=now())) != done:
        done = accounts
        for count, account in enumerate(accounts):
            held.progress(count, len(accounts))
            with held.step(f"limits in {account.cloud_name}", account=account.external_id) as step:
                reached, ask = account.reaching, partial(_limit, of=account)
                kept = asked(door, account.cloud_name, reached.kind, reached.endpoint, reached.secret, ask)
                step.result["kept there"] = ", ".join(kept) or "none: its cloud keeps no limits"
                note_kept(held.uow, lease=held.lease, account=account.id, kept=kept)
    held.progress(len(done), len(done))


def _limit(cloud: CloudAccounts, of: Limited) -> list[Measure]:
    return cloud.limit(of.external_id, of.limits)
