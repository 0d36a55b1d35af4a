"""Whose readings are that name no owner: what the rules of their feed's seller say, for the days they start on."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from uuid import UUID

from gradumen.core.exact import scaled
from gradumen.core.metering.dated_rules import RuleIndex
from gradumen.core.metering.ownership import SHARE_PLACES, ByUsage, OwnershipRule, Whose
from gradumen.store.metering.ownership_rows import OwnershipRuleRow
from gradumen.store.metering.ownership_rules import (
    FeedOf,
    Owner,
    Stored,
    feeds_of_resources,
    owner_at,
    rules_of,
    said_by,
)
from gradumen.store.metering.usage import attribute_sets, meter_rows
from gradumen.store.organisations.tables import Tree, trees_between
from gradumen.store.unit_of_work import Session
from gradumen.wire.metering.ownership_forms import rule_of, usage_words, value_words, whose_words

DAY_SECONDS = 86_400


@dataclass(frozen=True, slots=True)
class Ruled:
    """A rule with whose it says that something is, in words, and the organisations whose projects it names."""

    rule: OwnershipRule
    owner: str
    organisations: frozenset[UUID]
    table: Mapping[str, "Ruled"] | None = None
    """By value, where a table of these says whose it is."""


@dataclass(frozen=True, eq=False)
class Rules:
    """The rules of a seller in their order; one list of them is itself and no other."""

    listed: Sequence[Ruled]

    @cached_property
    def by_resource(self) -> bool:
        """Whether one of them looks at what a resource is called."""
        return any("resource" in each.rule.conditions.facts or each.rule.by == "resource" for each in self.listed)

    @property
    def values(self) -> list[OwnershipRule]:
        """The rules alone."""
        return [each.rule for each in self.listed]


def ruled(stored: Sequence[Stored]) -> Rules:
    """Stored rules as they are looked at."""
    return Rules([ruled_by(each.row, each.owners, each.table) for each in stored])


def ruled_by(row: OwnershipRuleRow, owners: Sequence[Owner], table: Mapping[str, Owner] | None = None) -> Ruled:
    """A rule of projects as it is looked at."""
    if row.look_up is not None:
        by = row.look_up["by"]
        numbers = None if table is None else {value: owner.number for value, owner in table.items()}
        rule = rule_of(row.name, (), row.starts_on, row.ends_on, row.conditions, by, numbers)
        entries = None if table is None else {value: of_one(rule, owner) for value, owner in table.items()}
        return Ruled(rule, value_words(by, table), frozenset(), entries)
    last = owners[-1] if row.remainder else None
    named, rest = (owners[:-1], last.path) if last else (owners, None)
    organisations = frozenset(each.organisation for each in owners)
    by = row.by_usage
    if by is not None:
        by_usage = ByUsage(
            row.organisation_id,
            by["meter"],
            frozenset(by["feeds"]),
            frozenset(each.number for each in named),
            None if by["whole"] is None else int(by["whole_millionths"]),
            last.number if last else None,
        )
        rule = rule_of(row.name, (), row.starts_on, row.ends_on, row.conditions, by_usage=by_usage)
        return Ruled(rule, usage_words(by["meter_slug"], [each.path for each in named], rest), organisations)
    shares = tuple((each.number, scaled(each.share, SHARE_PLACES)) for each in owners)
    rule = rule_of(row.name, shares, row.starts_on, row.ends_on, row.conditions)
    return Ruled(rule, whose_words({each.path: each.share for each in named}, rest), organisations)


def of_one(rule: OwnershipRule, owner: Owner) -> Ruled:
    """What a rule says where a value names one project."""
    return Ruled(replace(rule, shares=((owner.number, 1),)), owner.path, frozenset([owner.organisation]))


class Owners:
    """Looks up whose readings are, of some resources, within a span of time."""

    def __init__(
        self,
        tx: Session,
        resources: Collection[int],
        first: datetime,
        last: datetime,
        *,
        sellers: Collection[UUID] = (),
        all_meters: bool = False,
        replaced: int | None = None,
    ) -> None:
        """``all_meters``: other rules than those that are stored will be looked at too.

        Args:
            sellers: whose rules are looked at beside those of the resources' feeds.
            replaced: by the rules of when those of this number had been replaced last; else by those that hold.
        """
        self.feeds: Mapping[int, FeedOf] = feeds_of_resources(tx, resources)
        sellers = {*sellers, *(each.seller for each in self.feeds.values())}
        stored = rules_of(tx, sellers, replaced) if sellers else {}
        self.rules: dict[UUID, Rules] = {seller: ruled(rules) for seller, rules in stored.items() if rules}
        self._tx = tx
        self._trees: list[tuple[datetime, Tree]] = trees_between(tx, first, last)
        self._then: dict[tuple[int, UUID, Rules], tuple[dict[OwnershipRule, Ruled], RuleIndex[OwnershipRule]]] = {}
        self._found: dict[tuple[object, ...], Ruled | None] = {}
        self._named: dict[str, Owner | None] = {}
        self._meters = {number: row.slug for number, row in meter_rows(tx).items()} if self.rules or all_meters else {}
        self._origins: dict[int, tuple[str, str | None, int | None]] = {}
        self._attributes: dict[int, dict[str, str]] = {}

    @property
    def days_apart(self) -> set[int]:
        """The days within which somebody moved, counted from 1970: of these, times count."""
        moments = (int(since.timestamp()) for since, _ in self._trees[1:])
        return {each // DAY_SECONDS for each in moments if each % DAY_SECONDS}

    def know(self, origins: Collection[int], attributes: Collection[int]) -> None:
        """Read what rules look at, of these."""
        self._origins |= said_by(self._tx, set(origins) - set(self._origins))
        sets = set(attributes) | {self._origins[each][2] or 0 for each in origins if each in self._origins}
        self._attributes |= attribute_sets(self._tx, sets - set(self._attributes) - {0})

    def names_nobody(self, origin: int) -> bool:
        """Whether a reading came without an owner: one that named somebody who is not there is not given away."""
        return origin in self._origins

    def said(self, origin: int) -> tuple[str, str | None]:
        """Source and account that a reading came with."""
        return self._origins[origin][:2]

    def find(
        self,
        resource: int,
        meter: int,
        origin: int,
        attributes: int,
        at: datetime,
        rules: Rules | None = None,
    ) -> Ruled | None:
        """The rule that takes a reading which started then, by its seller's rules or by those that are given."""
        feed = self.feeds[resource]
        looked_at = self.rules.get(feed.seller) if rules is None else rules
        if looked_at is None:
            return None
        # Of a day readings that are alike have one owner, unless somebody moved within it.
        named = resource if looked_at.by_resource else feed.feed
        key = (looked_at, feed.seller, self._place(at), named, meter, origin, attributes, at.date())
        if key not in self._found:
            self._found[key] = self._find(resource, meter, origin, attributes, at, looked_at)
        return self._found[key]

    def _find(
        self, resource: int, meter: int, origin: int, attributes: int, at: datetime, rules: Rules
    ) -> Ruled | None:
        feed = self.feeds[resource]
        source, account, sent = self._origins[origin]
        facts = {
            "feed": feed.feed,
            "account": account,
            "source": source,
            "resource": feed.resource,
            "meter": self._meters.get(meter),
        }
        # What was sent with it says whose it is too, where a rule of kind made something else of it.
        told = {**(self._attributes[sent] if sent else {}), **self._attributes[attributes]}
        return self.whose(feed.seller, facts, told, at, rules)

    def whose(
        self,
        seller: UUID,
        facts: Mapping[str, str | None],
        told: Mapping[str, str],
        at: datetime,
        rules: Rules | None = None,
    ) -> Ruled | None:
        """The rule that takes what started then, by its facts and attributes; as `find`."""
        looked_at = self.rules.get(seller) if rules is None else rules
        if looked_at is None:
            return None
        by_rule, index = self._known_then(seller, at, looked_at)
        for rule in index.taking(facts, told, at.date()):
            of = by_rule[rule]
            found = self._by_value(of, rule.value_of(facts, told), at, seller) if rule.by else of
            if found is not None:
                return found
        return None

    def _by_value(self, of: Ruled, value: str | None, at: datetime, seller: UUID) -> Ruled | None:
        """Whose something is by a value: None where that names nobody to whom the seller sold then."""
        if value is None:
            return None
        if of.table is not None:
            entry = of.table.get(value)
        else:
            if value not in self._named:
                self._named[value] = owner_at(self._tx, value)
            owner = self._named[value]
            entry = None if owner is None else of_one(of.rule, owner)
        return entry if entry is not None and entry.organisations <= self._below(seller, at) else None

    def _place(self, at: datetime) -> int:
        """Which of the trees holds at a moment."""
        return max((index for index, (since, _) in enumerate(self._trees) if since <= at), default=0)

    def _below(self, seller: UUID, at: datetime) -> frozenset[UUID]:
        """Those to whom a seller sold at a moment, and itself."""
        return self._trees[self._place(at)][1].below([seller])

    def _known_then(
        self, seller: UUID, at: datetime, rules: Rules
    ) -> tuple[dict[OwnershipRule, Ruled], RuleIndex[OwnershipRule]]:
        """The rules that say something at a moment: nothing is anybody's whom the seller did not sell to then."""
        key = self._place(at), seller, rules
        if key not in self._then:
            below = self._below(seller, at)
            there = {each.rule: each for each in rules.listed if each.organisations <= below}
            self._then[key] = there, RuleIndex(there)
        return self._then[key]


Alike = tuple[int, int, int, int]
"""Resource, attributes, origin, and the second of 1970 at which a reading started."""


def owners_by_rule(
    tx: Session, meter: int, readings: Collection[Alike], replaced: int | None = None
) -> dict[Alike, Whose]:
    """Whose readings these are that name no owner: projects with their shares; those of nobody are left out.

    Args:
        replaced: by the rules of when those of this number had been replaced last; else by those that hold.
    """
    if not readings:
        return {}
    starts = [start for *_, start in readings]
    first, last = (datetime.fromtimestamp(each, UTC) for each in (min(starts), max(starts) + 1))
    owners = Owners(tx, {resource for resource, *_ in readings}, first, last, replaced=replaced)
    if not owners.rules:
        return {}
    owners.know({origin for _, _, origin, _ in readings}, {attributes for _, attributes, _, _ in readings})
    apart = owners.days_apart
    of_day: dict[Alike, Whose | None] = {}
    found = {}
    for each in readings:
        resource, attributes, origin, start = each
        day = start // DAY_SECONDS
        # Of a day readings that are alike have one owner, unless somebody moved within it.
        alike = each if day in apart else (resource, attributes, origin, day * DAY_SECONDS)
        if alike not in of_day:
            at = datetime.fromtimestamp(start, UTC)
            by = owners.find(resource, meter, origin, attributes, at) if owners.names_nobody(origin) else None
            of_day[alike] = None if by is None else by.rule.whose
        whose = of_day[alike]
        if whose is not None:
            found[each] = whose
    return found
