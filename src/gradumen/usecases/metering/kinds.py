"""What readings are: found by the rules of their feed's seller, and as it is kept."""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from operator import attrgetter
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.services import Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.kinds import UNKNOWN, Catalogue, Facts, Found, KindRule, Kinds, Sent
from gradumen.core.metering.readings import Attributes, Reading, base_quantity, in_base_units
from gradumen.store import revisions
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering.tables import FeedRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.wire.metering.kind_forms import kind_rule


def rules_of(tx: Session, seller: UUID) -> list[KindRule]:
    """The rules of a seller as they are looked at."""
    known: dict[UUID, list[KindRule]] = revisions.kept(tx, revisions.KINDS, _RulesBySeller)
    if seller not in known:
        known[seller] = [rule_of(each) for each in store.rules_of(tx, seller)]
    return known[seller]


class _RulesBySeller(dict[UUID, list[KindRule]]):
    """Rules that were read since some were last set."""


def rule_of(row: store.KindRuleRow) -> KindRule:
    """A rule, checked before it was kept, as it is looked at."""
    return kind_rule(row.name, row.starts_on, row.ends_on, row.conditions, row.kind)


def catalogue_of(published: Published) -> Catalogue:
    """Meters and attributes that readings can be of."""
    return Catalogue(
        published.meters,
        {slug: service.told for slug, service in published.services.items()},
    )


@dataclass(frozen=True, slots=True)
class Kept:
    """A reading as it is kept: of a meter by number, 0 where its kind is not known; and what it was sent as."""

    meter: int
    attributes: Attributes
    quantity: str
    sent: Sent
    factor: Fraction | None
    why: Invalid | None = None
    amount: bool = False


def kept_as(found: Found, sent: Sent, quantity: Decimal, numbers: dict[str, int]) -> Kept:
    """How a reading is kept of which this was found.

    Args:
        quantity: in the unit that it was sent in.
        numbers: of meters.
    """
    kind = found.kind
    if kind is None:
        return Kept(UNKNOWN, (), text(quantity), sent, None, found.why)
    try:
        base = in_base_units(quantity, kind.factor, sent.unit)
    except Invalid as problem:
        return Kept(UNKNOWN, (), text(quantity), sent, None, problem)
    return Kept(numbers[kind.meter], kind.attributes, text(base), sent, kind.factor, amount=kind.amount)


class KindsOfFeed:
    """The kinds of what comes in by a feed, as its seller's rules are now: they stay so until that is there."""

    def __init__(self, tx: Session, feed: FeedRow, published: Published) -> None:
        store.share_feed(tx, feed.id)
        self._feed, self._published = feed.slug, published
        self._rules = rules_of(tx, feed.organisation_id)
        self._found: dict[tuple[Any, ...], tuple[Found, Sent]] = {}
        self._amounts: dict[tuple[str, str], bool] = {}

    @cached_property
    def _kinds(self) -> Kinds:
        return Kinds(self._rules, catalogue_of(self._published))

    @cached_property
    def _seen(self) -> Callable[[Reading], Any]:
        """What rules look at of a reading beside what it was sent as."""
        seen = [each for each in self._kinds.looked_at if each != "feed"]
        return attrgetter(*seen) if seen else _nothing

    def find(self, item: Reading) -> Kept | None:
        """What a reading is by a rule, or that nothing says so; None where it is the meter that it names.

        Raises:
            Invalid: it names a meter that its unit does not fit.
        """
        meter = self._published.meters.get(item.meter)
        amount = meter is not None and self._is_amount(meter, item.unit)
        if meter is not None and not self._rules and not amount:
            return None
        held, day = item.start == item.end, item.start.date()
        key = (item.meter, item.unit, item.attributes, held, day, self._seen(item))
        if key not in self._found:
            facts = Facts(self._feed, item.account, item.source, item.resource)
            unit = item.unit if meter is None or amount else meter.reading_unit.text
            sent = Sent(item.meter, unit, item.attributes, held)
            self._found[key] = self._kinds.find(facts, sent, day), sent
        found, sent = self._found[key]
        if meter is not None and found.rule is None and not (amount and found.kind):
            return None
        quantity = item.quantity if meter is None or amount else base_quantity(item, meter)
        return kept_as(found, sent, quantity, self._published.meter_ids)

    def _is_amount(self, meter: Meter, unit: str) -> bool:
        """Whether a unit is of an amount where a meter counts levels; of one that does not fit it is not."""
        if (meter.slug, unit) not in self._amounts:
            try:
                self._amounts[meter.slug, unit] = meter.read_unit(unit)[1]
            except Invalid:
                self._amounts[meter.slug, unit] = False
        return self._amounts[meter.slug, unit]


def _nothing(_: Reading) -> None:
    """What rules see of a reading that look at no facts."""
