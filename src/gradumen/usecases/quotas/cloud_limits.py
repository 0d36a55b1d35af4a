"""Limits of accounts in clouds: what an organisation may have is what the accounts made for it are held to there."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from gradumen.core.organisations.states import State
from gradumen.core.quotas.measures import STOCKS, AccountLimits, Measure
from gradumen.core.tasks import Lease
from gradumen.store.organisations import clouds as store
from gradumen.store.organisations.clouds import CloudRow
from gradumen.store.organisations.tables import Tree, load_tree
from gradumen.store.quotas.site_quotas import held_at
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.cloud_limits import made_for
from gradumen.usecases.limits import Limits
from gradumen.usecases.organisations.clouds import Reaching, reaching
from gradumen.usecases.tasks import require_lease


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

    The smaller of the two, so that a limit that was lowered holds at once wherever things are. Who is closed may have
    nothing, even where its seller has no limit.
    """
    if tree.state(organisation) is State.CLOSED:
        return dict.fromkeys(STOCKS, Decimal(0))
    limits, sites = Limits(tx, tree, [organisation]), held_at(tx, [organisation])
    found: dict[Measure, Decimal | None] = {}
    for measure in STOCKS:
        most = limits.limit(organisation, measure)
        here = sites.get((organisation, measure, cloud.site_id)) if cloud.site_id else None
        both = [each for each in (most, here.limit_value if here else None) if each is not None]
        found[measure] = min(both) if both else None
    return found


@use_case
def accounts_to_limit(tx: Session, *, lease: Lease, at: datetime) -> list[Limited]:
    """The accounts of a task, with what they are to be held to by now."""
    require_lease(tx, lease)
    organisation = UUID(lease.inputs["organisation"])
    rows, tree = made_for(tx, organisation), load_tree(tx, at)
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
