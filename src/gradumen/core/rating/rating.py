"""Rating in two moves: combine usage into few exact sums, then price those sums and keep the arithmetic.

`docs/rating.md` says what each rate kind does, with worked examples.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from decimal import Decimal
from functools import cached_property
from itertools import repeat
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import Over, RateCardVersion
from gradumen.core.catalogue.sampling import Sampling
from gradumen.core.exact import QUANTITY_PLACES, add, scaled
from gradumen.core.periods import Period, day_start, hour_number
from gradumen.core.rating.charges import Charge, Shared
from gradumen.core.rating.combining import Combiner, RateAt
from gradumen.core.rating.groups import Array, Groups, chosen, fitted, joined, run_numbers, run_starts, running
from gradumen.core.rating.parts import Part
from gradumen.core.rating.priced_steps import Steps, amount_of, quantity_of
from gradumen.core.rating.pricing import Priced, Rows, price_rows

USAGE_SCHEMA = {
    "line": pl.Int32,
    "meter": pl.Int32,
    "attributes": pl.Int32,
    "project": pl.Int32,
    "resource": pl.Int32,
    "hour": pl.Int32,
    "quantity": pl.Int128,
}
"""Usage as rating takes it: ``hour`` counts hours of the seller's clocks, ``quantity`` millionths of the base unit.

What quotas promise is of no resource and need not be of a project: then it is `gradumen.core.rating.charges.ALL`.
"""


@dataclass(frozen=True, slots=True)
class RatedLine:
    """A supply line as rating needs it: what is subscribed, from when to when, at which prices.

    A subscription whose tier or quantity changes, or that pauses, has a line for each stretch of time; they share
    ``subscription``. ``buyer`` and ``tenant`` number the buyer of the link and the subscriber. ``allowances`` are per
    meter and whole period, in base units, and count by the seconds that the line covers. All that a line in ``trial``
    is charged is taken off again. ``meters`` are those of the plan's services (None: any). ``first_day`` is the
    subscription's; terms of quarters and years count from it. What ``continues`` another line, of whichever seller, is
    not charged again what is charged once.
    """

    number: int
    plan: str
    tier: str
    start: datetime
    end: datetime | None
    versions: tuple[RateCardVersion, ...]
    allowances: Mapping[str, Decimal]
    quantity: int = 1
    subscription: int | None = None
    buyer: int = 0
    tenant: int = 0
    paused: bool = False
    trial: bool = False
    first_day: date | None = None
    continues: bool = False
    meters: frozenset[str] | None = None

    @property
    def card(self) -> str:
        """The name of its card; empty where it has none."""
        return self.versions[0].card if self.versions else ""

    @property
    def scope(self) -> int:
        """What its stretches of time share."""
        return self.number if self.subscription is None else self.subscription

    def scope_over(self, over: Over) -> int:
        """What it shares with others for a rate that counts over buyer, tenant or subscription."""
        return {Over.BUYER: self.buyer, Over.TENANT: self.tenant}.get(over, self.scope)


Split = Callable[[Array, Array, Array, Array], Iterable[tuple[Sequence[Part], tuple[int, ...]]]]
"""What charges are split into, of lines and rates, for one project or all (-1), by their amounts.

Gives each one's parts, none where nothing was used, and the attribute sets that it is of.
"""


@dataclass(frozen=True)
class PricedUsage:
    """Usage charges of a period as columns; `charges` writes them out, one by one."""

    pricing: "Pricing"
    groups: Groups
    covered: Array
    priced: Priced

    def __len__(self) -> int:
        return len(self.groups.line)

    def charges(self, split: "Split | None" = None) -> Iterator[Charge]:
        """Each charge with its arithmetic, by line, rate and version.

        Args:
            split: gives what they are split into; without it that is left out.
        """
        groups, priced = self.groups, self.priced
        order = np.lexsort((groups.rate, groups.project, groups.line))
        several = np.bincount(priced.step_of_row, minlength=1) > 1
        # Looked up one by one, the numbers of an array cost more than all the rest.
        steps, together = Steps(priced), np.where(several, priced.quantity, -1).tolist()
        line, rate, project, amount = (
            column[order] for column in (groups.line, groups.rate, groups.project, priced.row_amount)
        )
        columns = (line, rate, project, groups.quantity[order], self.covered[order], amount, priced.step_of_row[order])
        of_each = split(line, rate, project, amount) if split else repeat((None, ()))
        rows = zip(*(column.tolist() for column in columns), strict=True)
        for row, (parts, sets) in zip(rows, of_each, strict=False):
            yield self._charge(row, steps, together[row[-1]], parts, sets)

    def _charge(
        self,
        row: tuple[int, ...],
        steps: Steps,
        together: int,
        parts: Sequence[Part] | None,
        sets: tuple[int, ...],
    ) -> Charge:
        """The charge of a row; ``together`` is the quantity of its step, where other rows have a share of that.

        Where nothing was used, its one part is on its first day; ``parts`` None leaves them out.
        """
        number, rate_at, project, quantity, covered, amount, step = row
        at = self.pricing.combiner.rates[rate_at]
        rate, line, own = at.rate, self.pricing.lines[number], quantity_of(covered)
        start, end = self.pricing.service_period(line, at.version)
        whole = steps.priced(step, rate)
        if parts is not None and not parts:
            parts = (Part(None, None, start.astimezone(self.pricing.zone).date(), quantity, amount),)
        return Charge(
            line=line.number,
            kind=rate.kind,
            rate=rate.slug,
            version=at.version,
            meter=rate.meter,
            unit=rate.unit.text,
            quantity=quantity_of(quantity),
            covered=own if together >= 0 or not whole.covered else add([own, whole.covered]),
            before=whole.before,
            blocks=whole.blocks,
            amount=amount_of(amount),
            start=start,
            end=end,
            # What quotas promise need not be of a project.
            project=project if rate.over is Over.PROJECT and project >= 0 else None,
            true_up=whole.true_up,
            adjustments=whole.adjustments,
            shared=Shared(quantity_of(together), whole.amount) if together >= 0 else None,
            attributes=sets,
            parts=parts or (),
        )


class Pricing:
    """Prices what one seller's lines use in a period."""

    def __init__(
        self,
        lines: Mapping[int, RatedLine],
        meters: Mapping[int, str],
        attribute_sets: Mapping[int, Mapping[str, str]],
        period: Period,
        zone: ZoneInfo,
        samplings: Mapping[str, Sampling] | None = None,
        exchange: Mapping[tuple[str, str], Sequence[tuple[date, Decimal]]] | None = None,
    ) -> None:
        """``exchange`` has by two currencies what a unit of the first is worth in the second, from days on."""
        self.exchange = exchange or {}
        self.meters, self.attribute_sets = meters, attribute_sets
        self.samplings = {slug: each for slug, each in (samplings or {}).items() if not each.additive}
        self.zone, self.period = zone, period
        self.start, self.end = period.bounds(zone)
        self.cards: dict[str, tuple[RateCardVersion, ...]] = {}
        for line in lines.values():
            self.cards.setdefault(line.card, line.versions)
        # Lines of one card share its versions, which are told apart by identity from here on.
        self.lines = {
            number: line if line.versions is self.cards[line.card] else replace(line, versions=self.cards[line.card])
            for number, line in lines.items()
        }
        numbers = {card: number for number, card in enumerate(self.cards)}
        self.card_of_line = np.zeros(max(lines, default=-1) + 1, dtype=np.int64)
        for line in lines.values():
            self.card_of_line[line.number] = numbers[line.card]
        self._holds: dict[tuple[str, int], tuple[datetime, datetime]] = {}

    @cached_property
    def combiner(self) -> Combiner:
        """The lines' cards, compiled for the period."""
        return Combiner(
            list(self.cards.values()),
            self.card_of_line,
            self.meters,
            self.attribute_sets,
            hour_number(self.start, self.zone),
            hour_number(self.end, self.zone),
            self.zone,
        )

    def price(self, groups: Groups) -> PricedUsage:
        """Price sums of usage; where something is committed, also where nothing was used."""
        rows, commits = self._with_committed(groups)
        rates = self.combiner.rates
        scope = self._scopes(rows)
        same, next_up = scope[1:] == scope[:-1], rows.rate[1:] >= rows.rate[:-1]
        if not np.all((scope[1:] > scope[:-1]) | (same & next_up)):
            order = np.lexsort((rows.project, rows.line, rows.rate, scope))
            rows, scope, commits = chosen(rows, order), scope[order], commits[order]
        covered = self._tier_allowances(rows)
        priced = price_rows(Rows(scope, rows.rate, fitted(rows.quantity - covered), commits), rates)
        return PricedUsage(self, rows, covered, priced)

    def additive(self, meter: str) -> bool:
        """Whether usage of a meter adds up."""
        return meter not in self.samplings

    def _scopes(self, rows: Groups) -> Array:
        """What each row cumulates over, as numbers that differ between kinds of scope."""
        size = len(self.card_of_line)
        table = np.zeros((4, size), dtype=np.int64)
        for line in self.lines.values():
            table[:, line.number] = line.scope, 0, line.buyer, line.tenant
        kind = np.array([list(Over).index(each.rate.over) for each in self.combiner.rates], dtype=np.int64)[rows.rate]
        value = table[kind, rows.line]
        projects = np.asarray(kind == list(Over).index(Over.PROJECT))
        # On each link by itself: who moves may have one card with the next buyer.
        buyers = table[list(Over).index(Over.BUYER)]
        value[projects] = rows.project[projects] * (int(buyers.max(initial=0)) + 1) + buyers[rows.line[projects]]
        return kind * (int(value.max(initial=0)) + 1) + value

    def _with_committed(self, rows: Groups) -> tuple[Groups, Array]:
        """The rows, also those of nothing that commit; and which rows commit."""
        wanted = [
            (number, index)
            for index, at in enumerate(self.combiner.rates)
            if at.rate.committed
            for number in self._committing(at)
        ]
        if not wanted:
            return rows, np.zeros(len(rows.line), dtype=bool)
        numbers, indexes = (np.array(column, dtype=np.int64) for column in zip(*wanted, strict=True))
        none = np.full(len(wanted), -1, dtype=np.int64)
        extra = Groups(numbers, none, indexes, np.zeros(len(wanted), dtype=np.int64))
        every = joined([rows, extra])
        width = len(self.combiner.rates)
        return every, np.isin(every.line * width + every.rate, numbers * width + indexes)

    def _committing(self, at: RateAt) -> Iterator[int]:
        """The lines of the scopes that commit by a rate: those in which its version is the last to hold.

        Lines that pause or are on trial commit to nothing, so they do not say which version holds; nor do those of a
        card that their subscription has left for another.
        """
        holds: dict[int, dict[int, list[int]]] = {}
        for line in self.lines.values():
            included = line.meters is None or at.rate.meter in line.meters
            if line.card != at.version.card or not included or line.paused or line.trial:
                continue
            if self._last_cards.get(line.scope) != line.card:
                continue
            for order, version in enumerate(line.versions):
                if self._overlap(line, version):
                    holds.setdefault(line.scope_over(at.rate.over), {}).setdefault(order, []).append(line.number)
        for lines in holds.values():
            if max(lines) == at.order:
                yield from lines[at.order]

    @cached_property
    def _last_cards(self) -> dict[int, str]:
        """The card by which each subscription commits: that of its last line that neither pauses nor is on trial."""
        held = [line for line in self._in_time if not (line.paused or line.trial) and self.covered_seconds(line)]
        return {line.scope: line.card for line in held}

    @cached_property
    def _in_time(self) -> list[RatedLine]:
        """The lines that hold in the period, the earliest first."""
        held = [each for each in self.lines.values() if each.end is None or each.end > self.start]
        return sorted(held, key=lambda line: line.start)

    def _turns(self) -> Array:
        """Of each line where its card stands among those of its subscription, one after the other."""
        found = np.zeros(len(self.card_of_line), dtype=np.int64)
        cards: dict[int, list[str]] = {}
        for line in self._in_time:
            of_scope = cards.setdefault(line.scope, [])
            if line.card not in of_scope:
                of_scope.append(line.card)
            found[line.number] = of_scope.index(line.card)
        return found

    def _tier_allowances(self, rows: Groups) -> Array:
        """What the tiers' allowances cover of each row.

        The earliest version first, of the card that a subscription has first, then in the card's order.
        """
        covered = np.zeros(len(rows.line), dtype=np.int64)
        allowed = self._allowed()
        if not allowed:
            return covered
        rates = self.combiner.rates
        meters = {slug: number for number, slug in enumerate({slug for _, slug in allowed})}
        meter_of = np.array([meters.get(each.rate.meter, -1) for each in rates], dtype=np.int64)[rows.rate]
        scope_of = np.zeros(len(self.card_of_line), dtype=np.int64)
        for line in self.lines.values():
            scope_of[line.number] = line.scope
        key = np.where(meter_of < 0, -1, scope_of[rows.line] * len(meters) + meter_of)
        most = {scope * len(meters) + meters[slug]: quantity for (scope, slug), quantity in allowed.items()}
        concerned = np.flatnonzero(np.isin(key, np.array(list(most), dtype=np.int64)))
        if not len(concerned):
            return covered
        places = [(each.order << 32) + each.version.positions[each.rate.slug] for each in rates]
        place = np.array(places, dtype=np.int64)
        columns = rows.project, rows.line, place[rows.rate], self._turns()[rows.line], key
        order = np.lexsort([column[concerned] for column in columns])
        concerned = concerned[order]
        quantity, keys = rows.quantity[concerned].astype(object), key[concerned]
        first = run_starts(keys)
        up_to = running(quantity, first, run_numbers(first, len(keys)))
        limit = np.array([most[each] for each in keys.tolist()], dtype=object)
        result = covered.astype(object)
        result[concerned] = np.minimum(up_to, limit) - np.minimum(up_to - quantity, limit)
        return fitted(result)

    def _allowed(self) -> dict[tuple[int, str], int]:
        """Allowances per subscription and meter, in millionths, by the seconds that its lines cover."""
        whole = int((self.end - self.start).total_seconds())
        found: dict[tuple[int, str], int] = {}
        alike: dict[tuple[int, int], dict[str, int]] = {}
        for line in self.lines.values():
            key = (id(line.allowances), self.covered_seconds(line) if line.allowances else 0)
            if key not in alike:
                shares = {
                    slug: scaled(each, QUANTITY_PLACES) * key[1] // whole for slug, each in line.allowances.items()
                }
                alike[key] = {slug: share for slug, share in shares.items() if share}
            for slug, share in alike[key].items():
                found[line.scope, slug] = found.get((line.scope, slug), 0) + share
        return found

    def covered_seconds(self, line: RatedLine) -> int:
        """The seconds of the period that a line covers; none while it pauses."""
        end = self.end if line.end is None else min(self.end, line.end)
        return 0 if line.paused else max(0, int((end - max(self.start, line.start)).total_seconds()))

    def _overlap(self, line: RatedLine, version: RateCardVersion) -> bool:
        start, end = self.service_period(line, version)
        return start < end

    def service_period(self, line: RatedLine, version: RateCardVersion) -> tuple[datetime, datetime]:
        """From when to when a version prices a line in the period; not after each other where it does not."""
        key = (line.card, version.number)
        if key not in self._holds:
            later = [v.starts_on for v in line.versions if v.starts_on > version.starts_on]
            until = min(self.end, day_start(min(later), self.zone)) if later else self.end
            self._holds[key] = max(self.start, day_start(version.starts_on, self.zone)), until
        start, end = self._holds[key]
        return max(start, line.start), end if line.end is None else min(end, line.end)
