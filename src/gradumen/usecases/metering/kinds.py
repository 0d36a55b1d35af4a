"""What readings are: found by the rules of their feed's seller, and as it is kept."""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from operator import attrgetter
from typing import Any
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.kinds import UNKNOWN, Catalogue, Facts, Found, KindRule, Kinds, Sent
from gradumen.core.metering.readings import Attributes, Reading, base_quantity, in_base_units
from gradumen.store import revisions
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering.tables import FeedRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published
from gradumen.wire.metering.kind_forms import rule_of

PLAIN = 10**18
"""Below this a quantity in base units is as it was sent: none is finer than a millionth."""


def rules_of(tx: Session, seller: UUID) -> list[KindRule]:
    """The rules of a seller as they are looked at."""
    known: dict[UUID, list[KindRule]] = revisions.kept(tx, revisions.KINDS, _RulesBySeller)
    if seller not in known:
        known[seller] = [rule_of(each) for each in store.rules_of(tx, seller)]
    return known[seller]


class _RulesBySeller(dict[UUID, list[KindRule]]):
    """Rules that were read since the feeds were last set up otherwise."""


def catalogue_of(published: Published) -> Catalogue:
    """Meters and attributes that readings can be of."""
    return Catalogue(
        published.meters,
        {slug: {each.slug: each.values for each in service.looked_at} for slug, service in published.services.items()},
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
        base = quantity if kind.factor == 1 and quantity < PLAIN else in_base_units(quantity, kind.factor, sent.unit)
    except Invalid as problem:
        return Kept(UNKNOWN, (), text(quantity), sent, None, problem)
    return Kept(numbers[kind.meter], kind.attributes, text(base), sent, kind.factor)


class KindsOfFeed:
    """The kinds of what comes in by a feed, as its seller's rules are now: they stay so until that is there."""

    def __init__(self, tx: Session, feed: FeedRow, published: Published) -> None:
        store.share_feed(tx, feed.id)
        self._feed, self._published = feed.slug, published
        self._rules = rules_of(tx, feed.organisation_id)
        self._found: dict[tuple[Any, ...], tuple[Found, Sent]] = {}

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
        if meter is not None and not self._rules:
            return None
        held, day = item.start == item.end, item.start.date()
        key = (item.meter, item.unit, item.attributes, held, day, self._seen(item))
        if key not in self._found:
            facts = Facts(self._feed, item.account, item.source, item.resource)
            sent = Sent(item.meter, item.unit if meter is None else meter.reading_unit.text, item.attributes, held)
            self._found[key] = self._kinds.find(facts, sent, day), sent
        found, sent = self._found[key]
        if meter is not None and found.rule is None:
            return None
        quantity = item.quantity if meter is None else base_quantity(item, meter)
        return kept_as(found, sent, quantity, self._published.meter_ids)


def _nothing(_: Reading) -> None:
    """What rules see of a reading that look at no facts."""
