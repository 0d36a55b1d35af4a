"""What came in by a seller's feeds in a month, and whose it is."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from uuid import UUID
from zoneinfo import ZoneInfo

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, scaled
from gradumen.core.metering.feed_balances import Place, quantity_within
from gradumen.core.metering.feed_precedences import COMPARED
from gradumen.core.metering.held import within
from gradumen.core.metering.ownership import NOBODY
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import Divisions
from gradumen.core.periods import Period, hour_number
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering import feed_balances as store
from gradumen.store.metering.came_in import came_in, places_of, readings_across
from gradumen.store.metering.stale_usage import kept_by_quarter, organisations_by_number
from gradumen.store.metering.usage import Which, meter_rows, meters_by_seller
from gradumen.store.organisations.tables import Tree
from gradumen.store.subscriptions.moves import moving_days
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.held_usage import load_held
from gradumen.usecases.metering.stale_usage import owned_samples
from gradumen.usecases.metering.usage import quantities_of, spans_of
from gradumen.usecases.scope import Scope


def millionths(quantity: Decimal) -> int:
    """A quantity as a whole number."""
    return scaled(quantity, QUANTITY_PLACES)


class FeedMonth:
    """What came in by all feeds of a seller in a month; quantities in millionths of base units."""

    def __init__(
        self, tx: Session, scope: Scope, seller: UUID, feeds: list[int], month: Period, zone: ZoneInfo
    ) -> None:
        self._tx, self._seller, self.feeds, self.month, self._zone = tx, seller, feeds, month, zone
        self.bounds = month.bounds(zone)
        self.meters: Mapping[int, MeterRow] = meter_rows(tx)
        self._of_seller = meters_by_seller(tx)
        self._spans = list(spans_of(tx, scope, *self.bounds))
        levels = {number for number, row in self.meters.items() if row.combine == Combine.LEVEL}
        self._places = places_of(tx, feeds, self.bounds[0] - LONGEST, self.bounds[1])
        self.came_in = came_in(tx, feeds, self._places, levels, *self.bounds)
        self.measured = self._measured()
        """By feed and meter: what readings say, and what costs of suppliers come to."""
        self.used: dict[tuple[int, Place], dict[str, int]] = defaultdict(lambda: defaultdict(int))
        """By feed and place, told apart by whose it is; of the places of these feeds also what others have."""
        self.costs = store.costs_in(tx, feeds, month.first_day)
        self.owned_costs: dict[tuple[int, str], dict[str, list[Decimal]]] = defaultdict(lambda: defaultdict(list))
        self._add_usage(store.OfFeeds(feeds))
        self._add_usage(store.OfNamesakes(feeds))
        self._add_costs()

    def _measured(self) -> dict[tuple[int, int], int]:
        """What readings say of the month."""
        found: dict[tuple[int, int], int] = defaultdict(int)
        for (feed, meter), came in self.came_in.items():
            if self.meters[meter].combine != Combine.HELD:
                found[feed, meter] += millionths(came.summed)
        for feed, meter, resources in store.resources_held(self._tx, self.feeds, *self.bounds):
            held = load_held(self._tx, meter, resources, self.bounds[0].date()).times
            there = within(held, *(int(bound.timestamp()) for bound in self.bounds))
            found[feed, meter] += sum(each.level * (each.end - each.start) for each in there)
        across: dict[tuple[int, int, bool], list[tuple[int, ...]]] = defaultdict(list)
        for begins, moment in zip((True, False), self.bounds, strict=True):
            for feed, meter, *row in readings_across(self._tx, self.feeds, self._places, moment, LONGEST):
                across[feed, meter, begins].append(tuple(row))
        by_quarter = kept_by_quarter(self._tx) if across else set()
        hours = [hour_number(bound, self._zone) for bound in self.bounds]
        for (feed, meter, begins), rows in across.items():
            combine, divisions = Combine(self.meters[meter].combine), Divisions()
            samples = owned_samples(self._tx, meter, rows, divisions)
            kept = divisions.by_quarter(by_quarter)
            for sample in samples:
                inside = quantity_within(sample, combine, kept, hours[0], hours[1], self._zone)
                whole = sample.quantity * (1 if sample.adds(combine) else sample.end - sample.start)
                # What begins before the month was not counted yet, what ends after it wholly.
                found[feed, meter] += inside if begins else inside - whole
        return found

    def _whose(self, tree: Tree, owners: Mapping[int, UUID], project: int, meter: int) -> str:
        """Whose usage is, as the seller sees it."""
        if project in (NOBODY, COMPARED):
            return "nobodys" if project == NOBODY else "gave_way"
        owner = owners[project]
        if owner == self._seller:
            return "own_use"
        sold = any(meter in self._of_seller.get(each, ()) for each in tree.chain(self._seller))
        return "sold" if sold and owner in tree.below([self._seller]) else "elsewhere"

    def _add_usage(self, wanted: Which) -> None:
        for tree, bounds in self._spans:
            rows = list(quantities_of(self._tx, wanted, bounds, ("project", "resource", "feed"), self._zone))
            owners = organisations_by_number(self._tx, {keys["project"] for _, keys, _ in rows})
            for meter, keys, quantity in rows:
                place = self.meters[meter].slug, keys["resource"]
                self.used[keys["feed"], place][self._whose(tree, owners, keys["project"], meter)] += quantity

    def _add_costs(self) -> None:
        rows = store.costs_by_owner(self._tx, self.feeds, self.month.first_day)
        owners = organisations_by_number(self._tx, {row[2] for row in rows})
        # A day is one's on the clocks that a move goes by.
        days = moving_days(self._tx, [begins for _, (begins, _) in self._spans[1:]])
        begun = [(days.get(begins, date.min), tree) for tree, (begins, _) in self._spans]
        for feed, meter, project, resource, day, currency, billed, sold, is_sold in rows:
            tree = [tree for first, tree in begun if first <= max(day, self.month.first_day)][-1]
            quantity = scaled(sold if is_sold else billed, AMOUNT_PLACES)
            place = self.meters[meter].slug, resource
            self.used[feed, place][self._whose(tree, owners, project, meter)] += quantity
            self.measured[feed, meter] += quantity
            there = self.owned_costs[feed, currency]
            there["nobodys" if project == NOBODY else "owned"].append(billed)
            if not is_sold:
                there["no_exchange_rate"].append(billed)
