"""Has accounts in clouds held to what their organisation may have now.

Here, since bringing an organisation into a state already changes that.
"""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from gradumen.core.organisations.clouds import AccountState
from gradumen.store import tasks as store_tasks
from gradumen.store.organisations.clouds import CloudAccountRow, accounts_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.scope import Scope
from gradumen.usecases.tasks import CLOUD_LIMITS


def want_cloud_limits(tx: Session, scope: Scope, holder: OrganisationRow) -> None:
    """Have the accounts of an organisation held to what it may have now, where it has any that were made for it."""
    seller = scope.tree.parents.get(holder.id, holder.id)
    # Who acts from above is not named to the seller's people.
    asked_by = scope.caller.user_id if scope.is_member(seller) else None
    want_limits_of(tx, holder, seller, at=scope.caller.at, asked_by=asked_by)


def want_limits_of(
    tx: Session, holder: OrganisationRow, seller: UUID, *, at: datetime, asked_by: UUID | None = None
) -> None:
    """The same for a seller whose task it is to be."""
    if not made_for(tx, holder.id):
        return
    # What failed for good with an earlier change is over with this one.
    store_tasks.give_up(tx, CLOUD_LIMITS, seller, holder.slug)
    if store_tasks.find_waiting(tx, CLOUD_LIMITS, seller, holder.id) is None:
        store_tasks.add_task(
            tx,
            CLOUD_LIMITS,
            holder.slug,
            at=at,
            organisation=seller,
            asked_by=asked_by,
            inputs={"organisation": str(holder.id)},
            counted="accounts",
            concerns=holder.id,
        )


def made_for(tx: Session, organisation: UUID) -> Sequence[CloudAccountRow]:
    """Those of an organisation that were made for it: one that was linked is limited by whoever made it."""
    return [row for row in accounts_of(tx, organisation) if row.state == AccountState.MADE]
