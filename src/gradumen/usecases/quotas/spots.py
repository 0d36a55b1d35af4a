"""Spots: sites and pools at which something is limited, and what is held there."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, localcontext
from uuid import UUID

from gradumen.core.exact import EXACT
from gradumen.core.quotas.measures import Measure
from gradumen.core.quotas.quotas import Holding
from gradumen.store.organisations.sites import SiteRow
from gradumen.store.organisations.tables import OrganisationRow, Tree
from gradumen.store.quotas import site_quotas as store
from gradumen.store.quotas.pools import PoolRow, pools_of
from gradumen.store.unit_of_work import Session


@dataclass(frozen=True, slots=True)
class Spot:
    """A site, or a pool at one; ``called`` is what it is called to who does not own it."""

    site: SiteRow
    pool: PoolRow | None = None
    called: str | None = None

    @property
    def id(self) -> UUID:
        """What its limits are kept under."""
        return self.pool.id if self.pool else self.site.id

    @property
    def words(self) -> str:
        """After an amount: where it is."""
        return f" of {self.called or self.pool.name}" if self.pool else f" at {self.site.name}"


def capacity_of(pool: PoolRow) -> Decimal:
    """What is handed out of a pool: its capacity x its factor."""
    with localcontext(EXACT):
        return pool.capacity * pool.factor


class Held:
    """What some organisations hold at spots, and have passed on there, as it stands in this transaction.

    Who owns a site has what its pools have there, and no limit without any. Below it, who was given nothing has no
    limit where its giver has none there, else nothing (invariant 3 of the architecture).
    """

    def __init__(self, tx: Session, tree: Tree, owners: list[UUID], projects: Sequence[UUID] = ()) -> None:
        """``projects`` are those whose own limits are wanted too."""
        self.tx, self.tree = tx, tree
        chains = {each for owner in owners for each in tree.chain(owner)} | {*projects}
        self.rows = store.held_at(tx, chains)
        self.given = store.given_at(tx, owners)
        self._pools: dict[UUID, list[PoolRow]] = {}

    def pools(self, owner: UUID) -> list[PoolRow]:
        """The pools of an organisation."""
        if owner not in self._pools:
            self._pools[owner] = pools_of(self.tx, owner)
        return self._pools[owner]

    def capacity(self, spot: Spot, measure: Measure) -> Decimal | None:
        """What the owner of a site has there; None where it says of no pool."""
        same = [pool for pool in self.pools(spot.site.organisation_id) if pool.measure == measure]
        if spot.pool is not None:
            return next((capacity_of(pool) for pool in same if pool.id == spot.pool.id), Decimal(0))
        here = [capacity_of(pool) for pool in same if pool.site_id == spot.site.id]
        with localcontext(EXACT):
            return sum(here, Decimal(0)) if here else None

    def limit(self, organisation: UUID, spot: Spot, measure: Measure) -> Decimal | None:
        """What an organisation may have at a spot; None is no limit there."""
        for each in self.tree.chain(organisation):
            if each == spot.site.organisation_id:
                limit = self.capacity(spot, measure)
            else:
                row = self.rows.get((each, measure, spot.id))
                limit = row.limit_value if row else None
            if limit is not None:
                return limit if each == organisation else Decimal(0)
            if each == spot.site.organisation_id:
                return None
        return None

    def holding(self, owner: OrganisationRow, spot: Spot, measure: Measure) -> Holding:
        """What an organisation holds at a spot and has passed on there."""
        limit = self.limit(owner.id, spot, measure)
        granted = self.given.get((owner.id, measure, spot.id), Decimal(0))
        return Holding(owner.slug, measure, limit, granted=granted, name=owner.name, where=spot.words)


class SetAside:
    """What of a site's pools of a measure is set aside for whom, and what that leaves to all.

    Who has something set aside for it, or for one below it, uses that first; beyond it everybody shares the rest.
    """

    def __init__(self, tx: Session, tree: Tree, site: SiteRow, measure: Measure) -> None:
        self.tree, self.owner = tree, site.organisation_id
        pools = [row for row in pools_of(tx, self.owner) if row.site_id == site.id and row.measure == measure]
        self.pools = [(row.set_aside_id, capacity_of(row)) for row in pools]
        self.taken = store.taken_at(tx, self.owner, measure, site.id)

    def own(self, organisation: UUID) -> Decimal:
        """What is set aside for one, or for somebody below it."""
        return self._sum(aside for aside in self.pools if aside[0] and organisation in self.tree.chain(aside[0]))

    @staticmethod
    def _sum(pools: Iterable[tuple[UUID | None, Decimal]]) -> Decimal:
        with localcontext(EXACT):
            return sum((capacity for _, capacity in pools), Decimal(0))

    def most(self, organisation: UUID) -> Decimal | None:
        """What one may have at the site, beside what the others have; None where nothing is set aside."""
        if not any(aside for aside, _ in self.pools):
            return None
        shared = self._sum(pool for pool in self.pools if pool[0] is None)
        with localcontext(EXACT):
            for other, limit in self.taken.items():
                if other != organisation:
                    shared -= max(limit - self.own(other), Decimal(0))
            return max(shared, Decimal(0)) + self.own(organisation)

    def lacking(self) -> Decimal:
        """How much more the others have than is left to them; 0 where all fits."""
        shared = self._sum(pool for pool in self.pools if pool[0] is None)
        with localcontext(EXACT):
            used = sum((max(limit - self.own(each), Decimal(0)) for each, limit in self.taken.items()), Decimal(0))
            return max(used - shared, Decimal(0))


def of_project(held: Holding, name: str, slug: str, limit: Decimal | None) -> Holding:
    """The same of a project, which passes nothing on."""
    return replace(held, holder=f"{held.holder}/{slug}", name=f"{name} of {held.name}", limit=limit, granted=Decimal(0))
