"""Readings and costs that go one way, added up: of which resources they are, and how much."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property

from gradumen.core.exact import add
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.imported_costs import CostGroup
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.usage import meter_rows
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.wire.metering.ownership_rules import CostBody, QuantityBody

ANY = -1
"""In place of a project's number: whoever has it."""


@dataclass(slots=True)
class Gathered:
    """Groups of readings that go the same way, as far as they were added up."""

    readings: int = 0
    days: set[date] = field(default_factory=set)
    names: set[str] = field(default_factory=set)
    """Of their resources."""
    places: set[store.Place] = field(default_factory=set)
    projects: set[int] = field(default_factory=set)
    """Those whose it is or would be, where rules name them."""
    costs: dict[str, list[Decimal]] = field(default_factory=lambda: defaultdict(list))
    """Billed, by currency."""

    def cost(self, group: CostGroup, name: str) -> None:
        """Add imported costs."""
        self.days |= {group.first, group.last}
        self.names.add(name)
        self.costs[group.currency].append(group.billed)

    def take_all(self, other: "Gathered") -> None:
        """Add what goes the same way on other days."""
        self.readings += other.readings
        self.days |= other.days
        self.names |= other.names
        self.projects |= other.projects
        for currency, billed in other.costs.items():
            self.costs[currency] += billed

    def take(self, group: Group, name: str, projects: Iterable[int]) -> None:
        """Add a group, whose usage is of projects by now."""
        self.readings += group.readings
        self.days.add(group.day)
        self.names.add(name)
        self.places |= {
            (project, group.resource, group.meter, group.attributes, group.day + timedelta(days=number))
            for project in projects
            for number in range((group.last - group.day).days + 1)
        }


def cost_bodies(gathered: Gathered) -> list[CostBody]:
    """Costs by currency."""
    return [CostBody(currency=currency, billed=add(billed)) for currency, billed in sorted(gathered.costs.items())]


class Totals:
    """Usage of feeds on some days that is of some projects, added up by what it is of."""

    def __init__(self, tx: Session, feeds: Sequence[int], first: date, end: date, projects: Sequence[int]) -> None:
        self._totals = store.totals_of(tx, feeds, first, end, projects)
        self._meters, self._published = meter_rows(tx), load_published(tx)

    @cached_property
    def _of_any(self) -> dict[store.Place, Decimal]:
        """The same, whoever has it."""
        found: dict[store.Place, list[Decimal]] = defaultdict(list)
        for (_, resource, meter, attributes, day), total in self._totals.items():
            found[ANY, resource, meter, attributes, day].append(total)
        return {place: add(totals) for place, totals in found.items()}

    def _at(self, place: store.Place) -> Decimal | None:
        return (self._of_any if place[0] == ANY else self._totals).get(place)

    def of(self, places: set[store.Place]) -> list[QuantityBody]:
        """The usage of these, by meter; of a day that is shared with readings that go another way all of it."""
        sums: dict[int, list[Decimal]] = defaultdict(list)
        for each in places:
            if (total := self._at(each)) is not None:
                sums[each[2]].append(total)
        return sorted(
            (
                QuantityBody(
                    meter=self._meters[meter].slug,
                    meter_name=meter_name(self._meters[meter].slug, self._published),
                    unit=self._meters[meter].unit,
                    quantity=add(totals),
                )
                for meter, totals in sums.items()
            ),
            key=lambda each: each.meter,
        )
