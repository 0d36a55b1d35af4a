"""What is divided by usage: the shares of UTC days that are over, and what is made again where these change."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from datetime import date, datetime, timedelta

from gradumen.core.metering.ownership import NOBODY, ByUsage, Shares
from gradumen.core.metering.usage import EPOCH_DAY, DayKey, DayShares, Divisions, Span
from gradumen.core.periods import midnight
from gradumen.store.metering import divided_days as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.ownership_rules import feeds_of_resources, projects_below
from gradumen.store.organisations.tables import Tree, trees_between
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.scope import business_now

DAY = timedelta(days=1)


def shares_of_days(
    tx: Session, wanted: Collection[tuple[ByUsage, date]], today: date
) -> dict[tuple[ByUsage, date], Shares]:
    """By what some days are divided: those before today; what is not over yet is nobody's."""
    found: dict[tuple[ByUsage, date], Shares] = dict.fromkeys(wanted, ((NOBODY, 1),))
    days: dict[ByUsage, list[date]] = defaultdict(list)
    for by, day in wanted:
        if day < today:
            days[by].append(day)
    for by, its in days.items():
        trees = trees_between(tx, midnight(min(its)), midnight(max(its) + DAY))
        for _, tree in trees:
            inside = [day for day in its if _tree_on(trees, day) is tree]
            used = _used(tx, by, tree, min(inside), max(inside)) if inside else {}
            found |= {(by, day): by.shares(used.get(day, {})) for day in inside}
    return found


def _used(tx: Session, by: ByUsage, tree: Tree, first: date, last: date) -> Mapping[date, Mapping[int, int]]:
    """What projects used that count, while a tree holds."""
    feeds = by.feeds or {feed.id for each in tree.chain(by.seller) for feed in feeds_of(tx, each)}
    projects = by.among or projects_below(tx, tree.below([by.seller]))
    return store.used_on(tx, by.meter, feeds, projects, first, last)


class Dividing:
    """Divides by usage while usage, or what costs are whose, is made; and has made again what depends on it."""

    def __init__(self, tx: Session, at: datetime, meters: Collection[int] | None = None) -> None:
        """Waits for whoever makes any of what is divided, or of what it is divided by.

        Args:
            meters: of which usage is made; None is of any.
        """
        rules = store.divisions_by_usage(tx)
        self._tx, self._at = tx, at
        self._today = business_now(tx, at).date() if rules else date.min
        self._rules = [
            each for each in rules if meters is None or each.key in meters or not each.meters.isdisjoint(meters)
        ]
        self._was_divided = store.is_divided(tx)
        self._made: list[tuple[Span, Collection[date]]] = []
        if self._rules:
            store.queue(tx, {each.seller for each in self._rules})

    def of_span(self, divisions: Divisions, keys: Collection[DayKey], span: Span) -> DayShares:
        """The shares of all of a span's usage that is divided by usage; that it is so is kept."""
        divided = divisions.by_usage(keys)
        of = {key: (by, EPOCH_DAY + timedelta(days=key[2])) for key, by in divided.items()}
        if divided or self._was_divided:
            rows = {(key[1], day, by.meter, day >= self._today) for key, (by, day) in of.items()}
            store.replace(self._tx, span, sorted(each for each in rows if span.first <= each[1] <= span.last))
        found = shares_of_days(self._tx, set(of.values()), self._today)
        return {(by, (day - EPOCH_DAY).days): shares for (by, day), shares in found.items()}

    def of_costs(self, wanted: Collection[tuple[ByUsage, date]]) -> dict[tuple[ByUsage, date], Shares]:
        """The shares of costs of some days."""
        return shares_of_days(self._tx, wanted, self._today)

    def waits(self, day: date) -> bool:
        """Whether a day is not over yet."""
        return day >= self._today

    def made(self, span: Span, days: Collection[date]) -> None:
        """Usage of a span was made again, of these days."""
        if any(each.key == span.meter for each in self._rules):
            self._made.append((span, days))

    def mark_dependents(self) -> None:
        """What is divided by usage that was made again is to be made again too.

        A rule goes by feeds of its seller and of those above it alone: else two sellers who divide each by what the
        other divides would have each other's usage made again for ever.
        """
        if not self._made:
            return
        sellers = feeds_of_resources(self._tx, {each for span, _ in self._made for each in span.resources})
        used = {
            (sellers[resource].seller, span.meter, day)
            for span, days in self._made
            for resource in span.resources
            for day in days
        }
        days = {day for *_, day in used}
        trees = trees_between(self._tx, midnight(min(days)), midnight(max(days) + DAY)) if days else []
        for rule in self._rules:
            above = {day: _tree_on(trees, day).chain(rule.seller) for day in days}
            theirs = {day for seller, meter, day in used if meter == rule.key and seller in above[day]}
            if theirs:
                store.mark_dependents(self._tx, rule, theirs, self._at)
        self._made.clear()


def _tree_on(trees: Sequence[tuple[datetime, Tree]], day: date) -> Tree:
    """The tree that holds when a day begins."""
    return [tree for since, tree in trees if since <= midnight(day)][-1]


@use_case
def mark_over(tx: Session, *, at: datetime) -> int:
    """What waits for its day to be over, and is divided then, is to be made again; gives how much that is."""
    return store.mark_over(tx, business_now(tx, at).date(), at)
