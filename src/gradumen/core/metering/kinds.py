"""Of which meter a reading is, and with which attributes: the one that it names, or what rules make of what was sent.

What a reading was sent as is kept; a rule reads it, and says which meter that is, so other rules can read it anew. Of
the rules that take a reading the most specific one counts, of equally specific ones the first. Where no rule takes it,
a meter that is published is what it says. Everything else is of unknown kind: kept, listed, and charged by nobody.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, number, scaled, text, unscaled
from gradumen.core.metering.dated_rules import RuleIndex
from gradumen.core.metering.ownership import FACTS as OWNERSHIP_FACTS
from gradumen.core.metering.readings import Attributes, check_attributes
from gradumen.core.metering.told_conditions import Conditions
from gradumen.core.units import spelled

UNKNOWN = 0
"""In place of a meter's number, of a reading whose kind is not known."""
PART = "part of"
"""What a reading says of which what covers more than a day was divided: that time."""
FACTS = (*OWNERSHIP_FACTS, "unit")
"""What a condition can be on, beside attributes."""
MOST_RULES = 500


@dataclass(frozen=True, slots=True)
class KindRule:
    """From a day of UTC up to (not including) another, what fulfils all conditions is of a meter; None is no end.

    ``attributes`` have the values that are given, ``taken`` those of what was sent under another name; one that is sent
    under its own name is taken over. ``unit`` stands in place of the one that was sent. The quantity counts as often as
    the number says that was sent as ``times``.
    """

    name: str
    starts_on: date
    ends_on: date | None
    conditions: Conditions
    meter: str
    attributes: Attributes = ()
    taken: Attributes = ()
    unit: str | None = None
    times: str | None = None


@dataclass(frozen=True, slots=True)
class Sent:
    """What a reading was sent as: meter, unit and attributes in its sender's words; ``held`` until the next says."""

    meter: str
    unit: str
    attributes: Attributes
    held: bool = False


@dataclass(frozen=True, slots=True)
class Kind:
    """What a reading is: meter, attributes, and how many base units one of its quantity is.

    An ``amount`` is of all its time, where its meter counts levels (see `Meter.read_unit`).
    """

    meter: str
    attributes: Attributes
    factor: Fraction
    amount: bool = False


@dataclass(frozen=True, slots=True)
class Found:
    """What is found of a reading: its kind by a rule, or by its own name; or why it has none."""

    kind: Kind | None
    rule: KindRule | None
    why: Invalid | None = None

    @property
    def meter(self) -> str | None:
        """The meter that it is of."""
        return None if self.kind is None else self.kind.meter

    @property
    def rule_name(self) -> str | None:
        """The rule that takes it."""
        return None if self.rule is None else self.rule.name

    @property
    def reason(self) -> str | None:
        """Why it has no kind, in words."""
        return None if self.why is None else self.why.message


@dataclass(frozen=True, slots=True)
class Catalogue:
    """Meters by name, and of their services the attributes with their values; any value where there are none."""

    meters: Mapping[str, Meter]
    attributes: Mapping[str, Mapping[str, tuple[str, ...]]]

    def allowed(self, meter: str) -> Mapping[str, tuple[str, ...]]:
        """The attributes of a meter's service."""
        return self.attributes[meter.partition("/")[0]]


class Facts(NamedTuple):
    """Where a reading came from, and what it is of."""

    feed: str
    account: str | None
    source: str
    resource: str


class Kinds:
    """Finds what readings are, by the rules of one seller.

    A rule that takes a reading and cannot say what it is leaves it unknown: a less specific one would price it in
    silence.

    >>> from gradumen.core.metering.told_conditions import AllOf, AtLeast
    >>> from gradumen.core.units import parse_unit
    >>> gpus = Meter("gpu/hours", "GPU time", parse_unit("second"), Combine.SUM)
    >>> known = Catalogue({"gpu/hours": gpus}, {"gpu": {"model": ()}})
    >>> when = Conditions(AllOf((), (("gpu_count", AtLeast(Decimal(1))),)))
    >>> said = ("gpu/hours", (), (("model", "card"),), "hour", "gpu_count")
    >>> rule = KindRule("GPUs", date(2026, 9, 1), None, when, *said)
    >>> sent = Sent("vm-hours", "Hrs", (("card", "m4"), ("gpu_count", "2")))
    >>> kinds, facts = Kinds([rule], known), Facts("north", None, "s", "vm-1")
    >>> kinds.find(facts, sent, date(2026, 9, 1)).kind
    Kind(meter='gpu/hours', attributes=(('model', 'm4'),), factor=Fraction(7200, 1), amount=False)
    >>> kinds.find(facts, sent, date(2026, 8, 31)).why.message
    "no rule says what meter 'vm-hours' is"
    """

    def __init__(self, rules: Sequence[KindRule], catalogue: Catalogue) -> None:
        # The more specific first, of equally specific ones the first.
        self.rules = sorted(rules, key=lambda each: [-count for count in each.conditions.specificity])
        self.catalogue = catalogue
        looked_at = {fact for each in self.rules for fact in each.conditions.facts}
        self.looked_at = [name for name in Facts._fields if name in looked_at]
        """The facts that some rule looks at: what is alike in these, and was sent alike, is of one kind on a day."""
        self._index = RuleIndex(self.rules)

    def taking(self, facts: Facts, sent: Sent, day: date) -> Iterator[KindRule]:
        """The rules that take a reading which started on a day, in the order in which they are looked at."""
        # The unit of a meter of ours is ours: what was sent is kept in its base unit.
        unit = None if sent.meter in self.catalogue.meters else sent.unit
        told = {**facts._asdict(), "meter": sent.meter, "unit": unit}
        return self._index.taking(told, dict(sent.attributes), day)

    def find(self, facts: Facts, sent: Sent, day: date) -> Found:
        """What a reading is that started on a day."""
        rule = next(self.taking(facts, sent, day), None)
        try:
            if rule is not None:
                return Found(_by_rule(rule, sent, self.catalogue), rule)
            if sent.meter in self.catalogue.meters:
                return Found(_as_named(sent, self.catalogue), None)
        except Invalid as problem:
            return Found(None, rule, problem)
        return Found(None, None, Invalid(f"no rule says what meter '{sent.meter}' is", field="meter", value=sent.meter))


def _as_named(sent: Sent, catalogue: Catalogue) -> Kind:
    meter = catalogue.meters[sent.meter]
    check_attributes(sent.attributes, catalogue.allowed(meter.slug))
    _check_held(sent, meter)
    unit, amount = meter.read_unit(sent.unit)
    return Kind(meter.slug, sent.attributes, unit.factor, amount)


def _by_rule(rule: KindRule, sent: Sent, catalogue: Catalogue) -> Kind:
    meter = catalogue.meters.get(rule.meter)
    if meter is None:
        raise Invalid(f"rule '{rule.name}' names meter '{rule.meter}', which there is no more", field="meter")
    allowed, said = catalogue.allowed(meter.slug), dict(sent.attributes)
    attributes = {name: said[name] for name in allowed if name in said}
    for name, source in rule.taken:
        if source not in said:
            raise Invalid(f"rule '{rule.name}' takes {name} from '{source}', which is not said", field=source)
        attributes[name] = said[source]
    attributes |= dict(rule.attributes)
    found = tuple(sorted(attributes.items()))
    check_attributes(found, allowed)
    _check_held(sent, meter)
    unit, amount = meter.read_unit(rule.unit or spelled(sent.unit, counted=meter.counted))
    if PART in said and not amount and meter.combine is not Combine.SUM:
        raise Invalid(
            f"it is a part of what covers {said[PART]}, and meter '{meter.slug}' counts levels; say a unit of an "
            f"amount, like '{meter.unit.text}', or a meter that adds up",
            field="unit",
        )
    return Kind(meter.slug, found, unit.factor * _times(rule, said), amount)


def _check_held(sent: Sent, meter: Meter) -> None:
    if sent.held is not (meter.combine is Combine.HELD):
        ends = "it has an end" if meter.combine is Combine.HELD else "it holds until the next one says otherwise"
        counts = "what holds until the next one" if meter.combine is Combine.HELD else "what a reading covers"
        raise Invalid(f"meter '{meter.slug}' counts {counts}, but {ends}", field="end")


def _times(rule: KindRule, said: Mapping[str, str]) -> Fraction:
    """How often a quantity counts."""
    if rule.times is None:
        return Fraction(1)
    try:
        count = number(said.get(rule.times), field=rule.times, places=QUANTITY_PLACES, digits=18)
    except Invalid as problem:
        raise Invalid(f"rule '{rule.name}' counts it times {rule.times}: {problem.message}", field=rule.times) from None
    if count <= 0:
        told = f"rule '{rule.name}' counts it times {rule.times}, which is {text(count)} and not above 0"
        raise Invalid(told, field=rule.times, value=count)
    return Fraction(count)


def as_sent(quantity: Decimal, factor: Fraction) -> Decimal:
    """The quantity that was sent, of one in base units: the inverse of `gradumen.core.metering.readings.in_base_units`.

    >>> as_sent(Decimal(5400), Fraction(3600))
    Decimal('1.500000')
    """
    whole, lost = divmod(scaled(quantity, QUANTITY_PLACES) * factor.denominator, factor.numerator)
    if lost:
        raise ValueError(f"{quantity} was made by another factor than {factor}")
    return unscaled(whole, QUANTITY_PLACES)
