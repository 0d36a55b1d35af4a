"""What is published, as values: services and plans of all sellers, and rate cards with their versions."""

from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any, TypeVar
from uuid import UUID

from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.promised import promised_meters
from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.catalogue.services import Meter, Service
from gradumen.core.quotas.measures import Measures
from gradumen.store import revisions
from gradumen.store.catalogue.published import meters, plan_versions, service_versions
from gradumen.store.catalogue.rate_cards import card_versions
from gradumen.store.catalogue.tables import (
    PlanVersionRow,
    RateCardRow,
    RateCardVersionRow,
    ServiceVersionRow,
)
from gradumen.store.quotas.measures import load_measures
from gradumen.store.unit_of_work import Session
from gradumen.wire.catalogue.forms.plans import read_plan
from gradumen.wire.catalogue.forms.rate_cards import read_rate_card
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.forms.services import read_service

T = TypeVar("T")


class _Kept:
    """Values of published versions, by the version's id: they never change, so each is read once."""

    def __init__(self, most: int = 4096) -> None:
        self.most = most
        self._values: OrderedDict[UUID, Any] = OrderedDict()
        self._lock = Lock()

    def clear(self) -> None:
        """Forget all of it."""
        with self._lock:
            self._values.clear()

    def get(self, version: UUID, read: Callable[[], T]) -> T:
        with self._lock:
            if version in self._values:
                self._values.move_to_end(version)
                found: T = self._values[version]
                return found
        value = read()
        with self._lock:
            self._values[version] = value
            if len(self._values) > self.most:
                self._values.popitem(last=False)
        return value


kept = _Kept()


@dataclass(slots=True)
class Published:
    """Everything published, newest version of each; values and where they are stored."""

    services: dict[str, Service] = field(default_factory=dict)
    meters: dict[str, Meter] = field(default_factory=dict)
    metered: dict[str, dict[str, Meter]] = field(default_factory=dict)
    """All meters that a service ever had: what was used by one that it has no more stays what it was."""
    meter_ids: dict[str, int] = field(default_factory=dict)
    plans: dict[str, Plan] = field(default_factory=dict)
    owners: dict[tuple[str, str], UUID] = field(default_factory=dict)
    forms: dict[tuple[str, str], list[tuple[int, dict[str, Any]]]] = field(default_factory=dict)
    measures: Measures = field(default_factory=Measures)

    def copy(self) -> "Published":
        """The same values, to which others can be added."""
        return Published(
            dict(self.services),
            dict(self.meters),
            {service: dict(metered) for service, metered in self.metered.items()},
            dict(self.meter_ids),
            dict(self.plans),
            dict(self.owners),
            dict(self.forms),
            self.measures,
        )

    @property
    def watched(self) -> frozenset[str]:
        """Meters that are only watched: that no rate prices them is as it should be."""
        return frozenset(slug for slug, meter in self.meters.items() if meter.watched)

    @property
    def known(self) -> Known:
        """What a rate card can speak of."""
        return Known(self.meters, self.services, self.plans, promised=promised_meters(self.measures.listed))

    @property
    def stored(self) -> Known:
        """What a published rate card can speak of."""
        return replace(self.known, checked=True, promised=self.promised)

    @property
    def promised(self) -> dict[str, Meter]:
        """The meters of what quotas promise, of measures that were retired since too."""
        return promised_meters(self.measures.ever.listed)

    def meter(self, slug: str) -> Meter:
        """The meter by which something is charged: of a service, or of what quotas promise."""
        return self.meters[slug] if slug in self.meters else self.promised[slug]

    @property
    def numbered(self) -> dict[str, int]:
        """A number for each meter: those of services as they are stored, of what quotas promise some after them."""
        first = max(self.meter_ids.values(), default=0) + 1
        return {**self.meter_ids, **{slug: number for number, slug in enumerate(self.promised, first)}}


def load_published(tx: Session) -> Published:
    """Services and plans of all sellers: their slugs are unique over the installation, meters are shared."""
    return revisions.kept(tx, revisions.CATALOGUE, lambda: _read_published(tx)).copy()


def _read_published(tx: Session) -> Published:
    found = Published(measures=load_measures(tx))
    for row, version in service_versions(tx):
        found.owners["service", row.slug] = row.organisation_id
        found.forms.setdefault(("service", row.slug), []).append((version.number, version.document))
        add_service(found, service_of(version, found.measures))
    found.meter_ids = meters(tx)
    for plan_row, plan_version in plan_versions(tx):
        found.owners["plan", plan_row.slug] = plan_row.organisation_id
        found.forms.setdefault(("plan", plan_row.slug), []).append((plan_version.number, plan_version.document))
        found.plans[plan_row.slug] = plan_of(plan_version, found)
    return found


def add_service(found: Published, service: Service) -> None:
    """Put a service and its meters among those known."""
    found.services[service.slug] = service
    found.meters.update({meter.slug: meter for meter in service.meters})
    found.metered.setdefault(service.slug, {}).update({meter.slug: meter for meter in service.meters})


def service_of(version: ServiceVersionRow, measures: Measures) -> Service:
    """The service of a stored version."""
    return kept.get(version.id, lambda: read_service(version.document, measures.ever))


def plan_of(version: PlanVersionRow, published: Published) -> Plan:
    """The plan of a stored version."""
    return kept.get(version.id, lambda: read_plan(version.document, published.meters, published.services, checked=True))


@dataclass(frozen=True, slots=True)
class StoredCard:
    """A rate card's versions in the order of their days, and the ids of their rows by number.

    Two sellers may call their cards alike; the versions carry the card's id as their card, which tells them apart.
    """

    currency: str
    versions: tuple[RateCardVersion, ...]
    ids: dict[int, UUID]


def load_cards(tx: Session, ids: Iterable[UUID], published: Published) -> dict[UUID, StoredCard]:
    """Rate cards by id."""
    found: dict[UUID, tuple[str, list[RateCardVersion], dict[int, UUID]]] = {}
    for card, row in card_versions(tx, list(ids)):

        def read(card: RateCardRow = card, row: RateCardVersionRow = row) -> RateCardVersion:
            return replace(read_rate_card(row.document, published.stored, row.number).version, card=str(card.id))

        _, versions, version_ids = found.setdefault(card.id, (card.currency, [], {}))
        versions.append(kept.get(row.id, read))
        version_ids[row.number] = row.id
    return {id: StoredCard(currency, tuple(versions), numbers) for id, (currency, versions, numbers) in found.items()}
