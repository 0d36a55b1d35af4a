"""Whose use a seller's spend is of, and through which of its buyers: for who moves, one after the other."""

from datetime import date, datetime, time, timedelta
from uuid import UUID

import polars as pl

from gradumen.core.periods import zone_of
from gradumen.core.spend.columns import SPEND_SCHEMA
from gradumen.core.spend.spend import Range, added_up
from gradumen.store.organisations.tables import trees_between, zone_name
from gradumen.store.unit_of_work import Session
from gradumen.usecases.scope import Scope
from gradumen.usecases.spend.link_sums import Link, sums_of_link

TEXT = pl.Categorical()


class Users:
    """An organisation, and all that were below it in a range and the one before."""

    def __init__(self, tx: Session, scope: Scope, owner: UUID, days: Range) -> None:
        self.tx, self.days, self.owner = tx, days, owner
        first = min(days.first, days.before.first)
        start, end = (datetime.combine(day, time.min, scope.now.tzinfo) for day in (first, days.end))
        self.trees = trees_between(tx, start - timedelta(days=1), min(end + timedelta(days=1), max(scope.now, start)))
        self.through: dict[UUID, list[tuple[date, UUID]]] = {owner: [(date.min, owner)]}
        """The buyers of each, with the first day of each but the first."""
        zone = zone_of(zone_name(tx, owner, scope.now.date()))
        for since, tree in self.trees:
            day = since.astimezone(zone).date()
            for buyer in tree.children(owner):
                for user in tree.below([buyer]):
                    known = self.through.setdefault(user, [])
                    if not known or known[-1][1] != buyer:
                        known.append((day if known else date.min, buyer))

    @property
    def all(self) -> frozenset[UUID]:
        """All of them."""
        return frozenset(self.through)

    def newest(self, user: UUID) -> UUID:
        """The buyer that one's use goes through, or last went."""
        return self.through[user][-1][1] if user in self.through else user

    def sums(self, link: Link, sold_in: dict[UUID, str], keys: list[str], *, by_day: bool) -> list[pl.DataFrame]:
        """What a link's charges come to, as `sums_of_link`, by ``sold_in`` too; ``buyer`` may be one of the keys."""
        settled = {user: self.newest(user) for user in link.users if len(self.through.get(user, ())) < 2}
        frames = [sums_of_link(self.tx, link, self.days, _frame(settled, sold_in), keys, by_day=by_day)]
        moved = link.users - settled.keys()
        buyers = {buyer for user in moved for _, buyer in self.through[user]}
        if link.sold:
            # The pair says through whom: as its documents do, to the last part.
            for buyer in sorted(buyers):
                pairs = [pair for pair in link.pairs if pair.buyer_id == buyer]
                users = _frame(dict.fromkeys(moved, buyer), sold_in)
                own = Link(pairs, moved)
                frames.append(sums_of_link(self.tx, own, self.days, users, keys, by_day=by_day))
        elif moved:
            frames.append(self._by_day(link, moved, sold_in, keys, by_day=by_day))
        return [frame for frame in frames if frame is not None]

    def _by_day(
        self, link: Link, moved: frozenset[UUID], sold_in: dict[UUID, str], keys: list[str], *, by_day: bool
    ) -> pl.DataFrame | None:
        """The same of who moved, by the days on which they did."""
        wanted = sorted({*keys, "organisation", "day"} - {"buyer"})
        users = _frame({user: user for user in moved}, {})
        rows = sums_of_link(self.tx, link, self.days, users, wanted, by_day=True)
        if rows is None:
            return None
        turns = pl.DataFrame(
            [
                (str(user), since, str(buyer), sold_in.get(buyer, ""))
                for user in moved
                for since, buyer in self.through[user]
            ],
            schema={"organisation": TEXT, "since": pl.Date, "buyer": TEXT, "sold_in": TEXT},
            orient="row",
        ).sort("since")
        joined = (
            rows.drop("sold_in")
            .sort("day")
            .join_asof(
                turns, left_on="day", right_on="since", by="organisation", strategy="backward", check_sortedness=False
            )
        )
        if not by_day:
            joined = joined.with_columns(pl.col("day").dt.month_start())
        return added_up(joined, [*keys, "part", "currency", "sold_in"])


def _frame(buyers: dict[UUID, UUID], sold_in: dict[UUID, str]) -> pl.LazyFrame:
    """Users with the buyer that they go through and the currency in which that one pays."""
    return pl.LazyFrame(
        [(str(user), str(buyer), sold_in.get(buyer, "")) for user, buyer in buyers.items()],
        schema={"organisation": SPEND_SCHEMA["organisation"], "buyer": TEXT, "sold_in": TEXT},
        orient="row",
    )
