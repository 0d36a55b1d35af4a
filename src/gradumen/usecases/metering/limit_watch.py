"""Looks at metered use beside limits now and then: opens breaches, tells of them, and closes those that are over."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

import polars as pl

from gradumen.core.catalogue.services import Meter
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.messages import Kind as MessageKind
from gradumen.core.messages import day_words
from gradumen.core.metering.breaches import Crossed, Limits, above_words
from gradumen.core.metering.packed_days import unpack
from gradumen.core.metering.usage import EPOCH_DAY
from gradumen.core.metering.uses import flowed, mean_level
from gradumen.core.periods import hour_number
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Kind
from gradumen.store.metering import breaches as store
from gradumen.store.metering.breaches import BreachRow, Limited
from gradumen.store.metering.usage import Wanted, meters_by_seller, packed_days
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_above, projects_by_number
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, Tree, load_tree, trees_between
from gradumen.store.quotas.measures import load_measures
from gradumen.store.unit_of_work import Session, UnitOfWork, add_new, use_case
from gradumen.usecases.access.project_people import readers_of
from gradumen.usecases.messages import people_with, tell
from gradumen.usecases.metering.usage import UTC_ZONE, quantities_of
from gradumen.usecases.metering.uses import DAY, meters_of_measures
from gradumen.usecases.scope import business_now, scope_of_nobody

LOOKED_AT = timedelta(days=2)
"""How old the newest usage of a stock may be; what has none since is not in use."""
_ROWS: dict[str, Any] = {"project": pl.Int64, "meter": pl.Int64, "hour": pl.Int64, "quantity": pl.Int128}


@dataclass(frozen=True, slots=True)
class Use:
    """What a holder uses of a measure, as whoever gives it its limits sees it."""

    held: Limited
    used: Decimal

    @property
    def limits(self) -> Limits:
        """What it may use."""
        return Limits(self.held.limit_value, self.held.soft_limit, self.held.grace_days or 0)


def watch_limits(uow: UnitOfWork, *, at: datetime) -> int:
    """Bring breaches up to date, each in a transaction of its own; gives for how many something was told."""
    uses, gone = uses_of_holders(uow, at=at)
    for holder, measure in gone:
        close_breach(uow, holder=holder, measure=measure, used=None, at=at)
    return sum(look_at(uow, use=use, at=at) for use in uses)


@use_case
def uses_of_holders(tx: Session, *, at: datetime) -> tuple[list[Use], list[tuple[UUID, str]]]:
    """What is used of each limit of metered use that is exceeded, or was; and open breaches whose limit is gone."""
    now = business_now(tx, at)
    tree = load_tree(tx, now)
    meters = meters_of_measures(tx)
    levels, flows = list(_levels(tx, meters, now)), list(_flows(tx, meters, now))
    rows = projects_by_number(tx, {each for _, frame in (*levels, *flows) for each in frame["project"].unique()})
    known = store.open_breaches(tx)
    owners = {each for row in rows.values() for each in tree.chain(row.organisation_id)}
    targets = store.limits_on_use(tx, owners | {row.organisation_id for row in known})
    holders = _Holders(tx, tree, rows, targets, meters)
    found = {**holders.levels(levels), **holders.flows(flows)}
    opened = {(row.holder_id, row.measure) for row in known}
    uses = [Use(each, found.get(place, Decimal(0))) for place, each in enumerate(targets)]
    concerned = [
        use for use in uses if use.limits.crossed(use.used) or (use.held.holder_id, use.held.measure) in opened
    ]
    return concerned, sorted(opened - {(each.holder_id, each.measure) for each in targets}, key=str)


Spanned = tuple[Tree, pl.DataFrame]
"""What was used, by project and meter, while nobody moved."""


def _everything(tx: Session, meters: Sequence[int]) -> Wanted:
    return Wanted([(None, meters)], None, meters)


def _levels(tx: Session, meters: Mapping[int, Meter], now: datetime) -> Iterator[Spanned]:
    """Whole hours of stocks, the latest span first."""
    wanted = [id for id, each in meters.items() if each.measure and each.measure.level]
    start = now - LOOKED_AT
    trees = trees_between(tx, start, now)
    ends = [*(moment for moment, _ in trees[1:]), now]
    days = [start.date() + DAY * number for number in range((now.date() - start.date()).days + 1)]
    rows = packed_days(tx, _everything(tx, wanted), days, ["project"])
    hours = unpack([(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows])
    ids = pl.DataFrame([(row[4], row[0]) for row in rows], schema=["project", "meter"], orient="row")
    for (begins, tree), end in reversed(list(zip(trees, ends, strict=True))):
        inside = hours.within(hour_number(begins), hour_number(end))
        yield tree, ids[inside.row].with_columns(hour=inside.hour, quantity=inside.quantity).cast(pl.Schema(_ROWS))


def _flows(tx: Session, meters: Mapping[int, Meter], now: datetime) -> Iterator[Spanned]:
    """What flowed in the day or month under way."""
    tomorrow = datetime.combine(now.date() + DAY, time(), UTC)
    for kind, start in ((Kind.DAILY, now.date()), (Kind.MONTHLY, now.date().replace(day=1))):
        wanted = [id for id, each in meters.items() if each.measure and each.measure.kind is kind]
        begins = datetime.combine(start, time(), UTC)
        trees = trees_between(tx, begins, now) if wanted else []
        ends = [*(moment for moment, _ in trees[1:]), tomorrow]
        for (moment, tree), end in zip(trees, ends, strict=False):
            found: list[tuple[Any, ...]] = [
                (keys["project"], meter, 0, quantity)
                for meter, keys, quantity in quantities_of(
                    tx, _everything(tx, wanted), (moment, end), ("project",), UTC_ZONE
                )
            ]
            yield tree, pl.DataFrame(found, schema=_ROWS, orient="row")


class _Holders:
    """Adds up what each holder uses with all below it, of what its giver and those above sell."""

    def __init__(
        self,
        tx: Session,
        tree: Tree,
        projects: Mapping[int, ProjectRow],
        targets: Sequence[Limited],
        meters: Mapping[int, Meter],
    ) -> None:
        self.tree, self.projects, self.targets, self.measures = tree, projects, targets, load_measures(tx)
        self._under = projects_above(tx, projects.values())
        self._of: dict[UUID, list[int]] = {}
        sellers = meters_by_seller(tx)
        allowed: list[tuple[int, int]] = []
        for place, target in enumerate(targets):
            self._of.setdefault(target.holder_id, []).append(place)
            giver = target.giver_id or target.organisation_id
            sold = {meter for seller in tree.chain(giver) for meter in sellers.get(seller, ())}
            allowed += [
                (meter, place) for meter, each in meters.items() if meter in sold and each.measure == target.measure
            ]
        self._allowed = pl.DataFrame(allowed, schema={"meter": pl.Int64, "target": pl.Int64}, orient="row")

    def _used(self, spanned: Spanned) -> pl.DataFrame:
        """By target and hour."""
        then, rows = spanned
        members = [
            (number, place)
            for number in rows["project"].unique().to_list()
            for holder in self._holding(then, self.projects[number])
            for place in self._of.get(holder, ())
        ]
        frame = pl.DataFrame(members, schema={"project": pl.Int64, "target": pl.Int64}, orient="row")
        joined = rows.join(frame, on="project").join(self._allowed, on=["meter", "target"])
        return joined.group_by("target", "hour").agg(pl.col("quantity").sum())

    def _holding(self, then: Tree, project: ProjectRow) -> Iterator[UUID]:
        """Who holds limits that a project's use counts to: what one used under another seller counts for that one."""
        yield from self._under[project.id]
        for each in then.chain(project.organisation_id):
            if then.parents.get(each) == self.tree.parents.get(each):
                yield each

    def levels(self, spans: Sequence[Spanned]) -> dict[int, Decimal]:
        """Of stocks the mean over the newest whole hour that has usage."""
        found: dict[int, Decimal] = {}
        for each in spans:
            used = self._used(each).sort("target", "hour").group_by("target", maintain_order=True).last()
            for target, _, quantity in used.iter_rows():
                found.setdefault(target, mean_level(self.measures[self.targets[target].measure], quantity))
        return found

    def flows(self, spans: Sequence[Spanned]) -> dict[int, Decimal]:
        """What flowed so far."""
        sums: dict[int, int] = {}
        for each in spans:
            for target, _, quantity in self._used(each).iter_rows():
                sums[target] = sums.get(target, 0) + quantity
        return {
            target: flowed(self.measures[self.targets[target].measure], [unscaled(total, QUANTITY_PLACES)])
            for target, total in sums.items()
        }


@use_case
def look_at(tx: Session, *, use: Use, at: datetime) -> bool:
    """Open, bring up to date or close the breach of a use; True where something was told."""
    now, held = business_now(tx, at), use.held
    crossed = use.limits.crossed(use.used)
    row = store.lock_open_breach(tx, held.holder_id, held.measure)
    if row is not None and (crossed is None or row.giver_id != held.giver_id):
        _close(row, use.used, now)
        tx.flush()
        row = None
    if crossed is None:
        return False
    until = now + timedelta(days=use.limits.grace_days) if crossed is Crossed.SOFT else None
    if row is None:
        row = new_breach(held, use.used, now)
        row.crossed, row.limit_value, row.grace_until = crossed, use.limits.of(crossed), until
        if not add_new(tx, row):
            return False  # Another worker looks at it too.
        _tell(tx, row, at)
        return True
    worse = crossed is Crossed.LIMIT and row.crossed == Crossed.SOFT
    if row.crossed != crossed:
        row.crossed, row.grace_until, row.told_over = crossed, until, False
    row.limit_value, row.used, row.most, row.seen_at = use.limits.of(crossed), use.used, max(row.most, use.used), now
    over = row.grace_until is not None and now >= row.grace_until and not row.told_over
    row.told_over = row.told_over or over
    tx.flush()
    if worse or over:
        _tell(tx, row, at)
    return worse or over


@use_case
def close_breach(tx: Session, *, holder: UUID, measure: str, used: Decimal | None, at: datetime) -> None:
    """A breach is over; where no limit is left, as what it was used last."""
    row = store.lock_open_breach(tx, holder, measure)
    if row is not None:
        _close(row, row.used if used is None else used, business_now(tx, at))


def _close(row: BreachRow, used: Decimal, now: datetime) -> None:
    row.is_open, row.closed_at, row.used, row.seen_at = None, now, used, now


def new_breach(held: Limited, used: Decimal, now: datetime) -> BreachRow:
    """An open breach of a holder's; which limit is exceeded is still to be said."""
    return BreachRow(
        id=uuid4(),
        holder_id=held.holder_id,
        measure=held.measure,
        is_open=True,
        organisation_id=held.organisation_id,
        project_id=held.project_id,
        giver_id=held.giver_id,
        used=used,
        most=used,
        opened_at=now,
        seen_at=now,
        told_over=False,
        closed_at=None,
    )


def _tell(tx: Session, row: BreachRow, at: datetime) -> None:
    """Tell those who manage the limits of both sides."""
    scope = scope_of_nobody(tx, at)
    known = organisations_by_id(tx, {row.organisation_id} | ({row.giver_id} if row.giver_id else set()))
    owner = known[row.organisation_id]
    project = tx.get_one(ProjectRow, row.project_id).name if row.project_id else None
    who = f"{project} of {owner.name}" if project else owner.name
    what = above_words(who, load_measures(tx)[row.measure], row.used, row.crossed, row.limit_value)
    for side in {row.organisation_id, row.giver_id or row.organisation_id}:
        facts = {"customer": who, "limit": row.crossed, "what": what, "then": _then(row, owner, side, scope.now.date())}
        readers = {each.user: each for each in people_with(tx, scope, side, Right.MANAGE_QUOTAS)}
        if row.project_id is not None and side == row.organisation_id:
            readers |= {each.user: each for each in readers_of(tx, [row.project_id])}
        for reader in readers.values():
            tell(
                tx,
                MessageKind.OVER_LIMIT,
                reader,
                facts,
                at=at,
                organisation=side,
                sender=row.giver_id or row.organisation_id,
                path=f"/organisations/{owner.slug}/quotas",
            )


def _then(row: BreachRow, owner: OrganisationRow, side: UUID, today: date) -> str:
    if row.grace_until is not None and row.grace_until.date() > today:
        return f"That may be until {day_words(row.grace_until.date())}."
    if side != owner.id:
        return "Give it more, or talk to it about using less."
    if row.project_id is not None or row.giver_id is None:
        return "Use less, or set the limit anew."
    return "Use less, or ask your seller for more."
