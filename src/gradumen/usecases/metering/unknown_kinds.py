"""What came in of which nothing says what it is: no meter that is published, and no rule that can read it."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from uuid import UUID

from gradumen.core.exact import add
from gradumen.core.metering.kind_guesses import guess_kind
from gradumen.core.metering.kinds import Catalogue, KindRule, Kinds, Sent
from gradumen.core.periods import Period, midnight
from gradumen.core.permissions import Right
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.tasks import find_under_way
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.kind_groups import Group, GroupsLookedAt, found_for, segments_of
from gradumen.usecases.metering.kind_rules import LOOKED_AT
from gradumen.usecases.metering.kinds import catalogue_of, rules_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.usecases.tasks import KINDS
from gradumen.wire.metering.kind_rules import KindGuessBody, UnknownKindBody, UnknownKindsBody

EXAMPLES, VALUES, NAMES = 5, 5, 20
"""How many resources, values of an attribute, and attributes are told."""
LATELY = timedelta(days=35)
NOT_YET = "its quantity is none of the meter's, or it waits to be read anew"


@dataclass(slots=True)
class Gathered:
    """Readings that were sent alike, as far as they were added up."""

    readings: int = 0
    names: set[str] = field(default_factory=set)
    quantities: list[Decimal] = field(default_factory=list)
    days: set[date] = field(default_factory=set)
    attributes: dict[str, set[str]] = field(default_factory=lambda: defaultdict(set))
    sent: Sent | None = None
    """One of them, of which no rule says what it is."""

    def take(self, group: Group, sent: Sent, rule: KindRule | None) -> None:
        """Add a group."""
        if rule is None and self.sent is None:
            self.sent = sent
        self.readings += group.readings
        self.names.add(group.name)
        self.quantities.append(group.quantity)
        self.days |= {group.first.date(), group.last.date()}
        for name, value in sent.attributes:
            self.attributes[name].add(value)


@use_case
def list_unknown_kinds(tx: Session, caller: Caller, *, organisation: str, period: str) -> UnknownKindsBody:
    """What of a seller's feeds is of unknown kind in a month of UTC; for its own members.

    Raises:
        Forbidden: the caller is none.
        Invalid: no such month.
    """
    at_one_moment(tx)
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    month = Period.parse(period)
    feeds = {each.id: each for each in feeds_of(tx, seller.id)}
    gathered, more = _gathered(tx, seller.id, list(feeds), month)
    known = _known(load_published(tx), scope.tree.chain(seller.id))
    items = [
        UnknownKindBody(
            feed=f"{seller.slug}/{feeds[feed].slug}",
            feed_name=feeds[feed].name,
            sent_meter=meter,
            sent_unit=unit,
            why=why,
            resources=len(there.names),
            examples=sorted(there.names)[:EXAMPLES],
            attributes={name: sorted(said)[:VALUES] for name, said in sorted(there.attributes.items())[:NAMES]},
            readings=there.readings,
            quantity=add(there.quantities),
            first_day=min(there.days),
            last_day=max(there.days),
            guess=_guess(there, known),
        )
        for (feed, meter, unit, why), there in gathered.items()
    ]
    return UnknownKindsBody(
        organisation=seller.slug,
        period=period,
        items=sorted(items, key=lambda each: (-each.readings, each.feed, each.sent_meter, each.why)),
        more=more,
        waiting=find_under_way(tx, KINDS, seller.id, seller.name) is not None,
    )


def _known(published: Published, sellers: Collection[UUID]) -> Catalogue:
    """The meters of some sellers: those that a rule may name."""
    services = {
        slug for kind, slug in published.owners if kind == "service" and published.owners[kind, slug] in sellers
    }
    known = catalogue_of(published)
    meters = {slug: each for slug, each in known.meters.items() if slug.partition("/")[0] in services}
    return Catalogue(meters, known.attributes)


def _guess(there: Gathered, known: Catalogue) -> KindGuessBody | None:
    """What it looks like."""
    guess = guess_kind(there.sent, there.attributes, known) if there.sent else None
    return KindGuessBody(meter=guess.meter, unit=guess.unit, attributes=dict(guess.taken)) if guess else None


def _gathered(
    tx: Session, seller: UUID, feeds: list[int], month: Period
) -> tuple[dict[tuple[int, str, str, str], Gathered], bool]:
    """What is of unknown kind in a month, by feed, meter, unit and reason; and whether there is more of it."""
    published = load_published(tx)
    kinds = Kinds(rules_of(tx, seller), catalogue_of(published))
    found: dict[tuple[int, str, str, str], Gathered] = defaultdict(Gathered)
    left = LOOKED_AT
    for since, until in segments_of([kinds], month.first_day, month.next().first_day):
        groups = store.groups_of(tx, feeds, midnight(since), midnight(until), left + 1, unknown=True)
        looked = GroupsLookedAt(tx, groups[:left], published)
        for group in groups[:left]:
            sent = looked.sent(group)
            # A kind is found of what is only not read anew yet, and of what is too fine or too large for it.
            told = found_for(kinds, looked, group)
            found[group.feed, sent.meter, sent.unit, told.reason or NOT_YET].take(group, sent, told.rule)
        left -= len(groups)
        if left < 0:
            break
    return found, left < 0


def count_unknown(tx: Session, seller: UUID, now: datetime) -> int:
    """How many resources of a seller's feeds sent something of unknown kind in the last five weeks."""
    return store.resources_unknown(tx, [each.id for each in feeds_of(tx, seller)], now - LATELY)
