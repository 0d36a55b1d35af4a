"""Readings that are kept, in groups, and what each is by rules."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from math import floor

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import QUANTITY_PLACES, scaled, unscaled
from gradumen.core.metering.kinds import UNKNOWN, Facts, Found, Kind, Kinds, Sent, as_sent
from gradumen.core.metering.readings import Attributes
from gradumen.core.periods import months_since
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering.feeds import feeds_by_id
from gradumen.store.metering.kind_rules import KindGroup
from gradumen.store.metering.readings import Origin
from gradumen.store.metering.usage import attribute_sets, meter_rows
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published


@dataclass(frozen=True, slots=True)
class Was:
    """What readings are as they are kept: meter, or None; attributes; how many base units one of those sent is.

    ``named``: it is the meter that it names. An ``amount`` is of all its time.
    """

    meter: str | None
    attributes: Attributes
    factor: Fraction | None
    named: bool
    amount: bool


class GroupsLookedAt:
    """Groups of readings with what they were sent as, and are kept as."""

    def __init__(self, tx: Session, groups: Sequence[KindGroup], published: Published) -> None:
        self._published = published
        self._feeds = feeds_by_id(tx, {each.feed for each in groups})
        self.origins: dict[int, Origin] = store.origins_by_number(tx, {each.origin for each in groups})
        sets = {each.attributes for each in groups}
        sets |= {each.sent_set_id for each in self.origins.values() if each.sent_set_id is not None}
        self._sets: dict[int, Attributes] = {
            number: tuple(sorted(document.items())) for number, document in attribute_sets(tx, sets).items()
        }
        self._meters = {number: row.slug for number, row in meter_rows(tx).items()}

    def facts(self, group: KindGroup) -> Facts:
        """What rules look at of it."""
        origin = self.origins[group.origin]
        return Facts(self._feeds[group.feed].slug, origin.account, origin.source, group.name)

    def sent(self, group: KindGroup) -> Sent:
        """What it was sent as; of a meter that it named itself, in that one's base unit."""
        origin = self.origins[group.origin]
        if origin.sent_meter is None or origin.sent_unit is None or origin.sent_set_id is None:
            slug = self._meters[group.meter]
            meter = self._published.meters.get(slug)
            unit = "" if meter is None else meter.reading_unit.text
            return Sent(slug, unit, self._sets[group.attributes], group.held)
        return Sent(origin.sent_meter, origin.sent_unit, self._sets[origin.sent_set_id], group.held)

    def was(self, group: KindGroup) -> Was:
        """What it is kept as."""
        origin = self.origins[group.origin]
        factor = Fraction(1) if origin.sent_meter is None else None
        if origin.factor is not None:
            factor = Fraction(origin.factor)
        meter = None if group.meter == UNKNOWN else self._meters[group.meter]
        attributes = () if meter is None else self._sets[group.attributes]
        named = meter is not None and origin.sent_meter in (None, meter)
        return Was(meter, attributes, factor, named, origin.is_amount)

    def quantity_sent(self, group: KindGroup, quantity: Decimal) -> Decimal:
        """A quantity that is kept of it, as it was sent."""
        factor = self.was(group).factor
        return quantity if factor is None else as_sent(quantity, factor)

    def usage_of(self, group: KindGroup, kind: Kind) -> Decimal:
        """The usage that its readings would be of another kind, in base units; too fine for it, to the millionth.

        Of a level it is that over the time that each reading covers.
        """
        level = self._published.meters[kind.meter].combine is Combine.LEVEL and not kind.amount
        factor = self.was(group).factor or Fraction(1)
        whole = scaled(group.by_seconds if level else group.quantity, QUANTITY_PLACES) * kind.factor / factor
        return unscaled(floor(whole), QUANTITY_PLACES)


def differs(was: Was, found: Found) -> bool:
    """Whether something is another kind than it is kept as; what names a meter that is no more stays what it is."""
    if found.kind is None:
        return was.meter is not None and not (was.named and found.rule is None)
    kind = found.kind
    return (was.meter, was.attributes, was.factor, was.amount) != (
        kind.meter, kind.attributes, kind.factor, kind.amount,
    )  # fmt: skip


def found_for(kinds: Kinds, looked: GroupsLookedAt, group: KindGroup, day: date | None = None) -> Found:
    """What the rules make of a group on a day; on all days of a segment they make the same of it."""
    return kinds.find(looked.facts(group), looked.sent(group), day or group.first.date())


Segment = tuple[date, date]
Group = KindGroup


def segments_of(kinds: Sequence[Kinds], first: date, end: date) -> list[Segment]:
    """The days from one up to another, in spans within which every rule holds or does not, of a month at most.

    >>> segments_of([], date(2026, 9, 20), date(2026, 10, 2))
    [(datetime.date(2026, 9, 20), datetime.date(2026, 10, 1)), (datetime.date(2026, 10, 1), datetime.date(2026, 10, 2))]
    """
    rules = [rule for each in kinds for rule in each.rules]
    bounds = {first, end, *months_since(first, end)}
    bounds |= {day for rule in rules for day in (rule.starts_on, rule.ends_on) if day is not None}
    return list(pairwise(sorted(day for day in bounds if first <= day <= end)))
