"""Limits of accounts in clouds: what an organisation may have is what the accounts made for it are held to there."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from gradumen.core.organisations.clouds import AccountState
from gradumen.core.quotas.measures import STOCKS, AccountLimits, Measure
from gradumen.core.tasks import Lease
from gradumen.store import tasks as store_tasks
from gradumen.store.organisations import clouds as store
from gradumen.store.organisations.clouds import CloudAccountRow, CloudRow
from gradumen.store.organisations.tables import OrganisationRow, Tree, load_tree
from gradumen.store.quotas.site_quotas import held_at
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.limits import Limits
from gradumen.usecases.organisations.clouds import Reaching, reaching
from gradumen.usecases.scope import Scope
from gradumen.usecases.tasks import CLOUD_LIMITS, require_lease


@dataclass(frozen=True, slots=True)
class Limited:
    """An account, what its cloud is reached by, and what it is to be held to; None is as everybody there."""

    id: UUID
    cloud_name: str
    external_id: str
    reaching: Reaching
    limits: AccountLimits


def limits_there(tx: Session, tree: Tree, organisation: UUID, cloud: CloudRow) -> AccountLimits:
    """What an organisation may have in a cloud: its limit at the cloud's site where it has one, else in all.

    The smaller of the two, so that a limit that was lowered holds at once wherever things are.
    """
    limits, sites = Limits(tx, tree, [organisation]), held_at(tx, [organisation])
    found: dict[Measure, Decimal | None] = {}
    for measure in STOCKS:
        most = limits.limit(organisation, measure)
        here = sites.get((organisation, measure, cloud.site_id)) if cloud.site_id else None
        both = [each for each in (most, here.limit_value if here else None) if each is not None]
        found[measure] = min(both) if both else None
    return found


def want_cloud_limits(tx: Session, scope: Scope, holder: OrganisationRow) -> None:
    """Have the accounts of an organisation held to what it may have now, where it has any that were made for it."""
    if not _made(tx, holder.id):
        return
    seller = scope.tree.parents.get(holder.id, holder.id)
    # What failed for good with an earlier change is over with this one.
    store_tasks.give_up(tx, CLOUD_LIMITS, seller, holder.slug)
    if store_tasks.find_waiting(tx, CLOUD_LIMITS, seller, holder.id) is None:
        store_tasks.add_task(
            tx,
            CLOUD_LIMITS,
            holder.slug,
            at=scope.caller.at,
            organisation=seller,
            # Who acts from above is not named to the seller's people.
            asked_by=scope.caller.user_id if scope.is_member(seller) else None,
            inputs={"organisation": str(holder.id)},
            counted="accounts",
            concerns=holder.id,
        )


def _made(tx: Session, organisation: UUID) -> Sequence[CloudAccountRow]:
    """Those that were made: one that was linked is limited by whoever made it."""
    return [row for row in store.accounts_of(tx, organisation) if row.state == AccountState.MADE]


@use_case
def accounts_to_limit(tx: Session, *, lease: Lease, at: datetime) -> list[Limited]:
    """The accounts of a task, with what they are to be held to by now."""
    require_lease(tx, lease)
    organisation = UUID(lease.inputs["organisation"])
    rows, tree = _made(tx, organisation), load_tree(tx, at)
    clouds = store.clouds_by_id(tx, {row.cloud_id for row in rows})
    return [
        Limited(
            row.id,
            clouds[row.cloud_id].name,
            row.external_id or "",
            reaching(tx, clouds[row.cloud_id]),
            limits_there(tx, tree, organisation, clouds[row.cloud_id]),
        )
        for row in rows
    ]


@use_case
def note_kept(tx: Session, *, lease: Lease, account: UUID, kept: Sequence[str]) -> None:
    """An account is held to its limits of some measures."""
    require_lease(tx, lease)
    row = store.find_account(tx, account)
    if row is not None:
        row.kept = [str(each) for each in kept]
