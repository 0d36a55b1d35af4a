"""What became of all that a feed measured in a month: nothing is left out, and nothing counts twice.

Quantities are whole numbers: millionths of a meter's base unit.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, fields
from itertools import combinations
from zoneinfo import ZoneInfo

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import allocate
from gradumen.core.metering.packed_days import pack, unpack
from gradumen.core.metering.usage import Sample, combine_days

Place = tuple[str, str]
"""A meter, and a resource by its name: what two feeds call by one name is one resource."""


@dataclass(slots=True)
class Became:
    """What became of usage on its seller's link: charged, covered by allowances, or for four reasons not priced."""

    charged: int = 0
    covered: int = 0
    watched: int = 0
    """Of a meter that is only watched."""
    together: int = 0
    """Charged with the composite that it is of, or as its components."""
    no_rate: int = 0
    no_subscription: int = 0


@dataclass(slots=True)
class Balance(Became):
    """Of what a feed measured of a meter, what became of it; all but ``measured`` together are the same again."""

    measured: int = 0
    nobodys: int = 0
    own_use: int = 0
    """Used by the seller itself, who sells it to nobody."""
    elsewhere: int = 0
    """Used where the seller does not sell it: of somebody who is not below it, or of another seller's services."""
    gave_way: int = 0
    """Measured by a feed to which this one gives way: what counts is what that measured."""
    twice: int = 0
    """Measured by another feed too; what is charged of it is of both."""

    @property
    def difference(self) -> int:
        """What the sum lacks; it is 0."""
        became: list[int] = [getattr(self, each.name) for each in fields(self) if each.name != "measured"]
        return self.measured - sum(became)

    def add(self, there: Became) -> None:
        """Add what became of some of it."""
        for each in fields(there):
            setattr(self, each.name, getattr(self, each.name) + getattr(there, each.name))


def became_of(rows: Iterable[tuple[object, Place, int, int]]) -> dict[Place, Became]:
    """Charges by resource: each is split into what is charged for and what an allowance covers, in proportion.

    Args:
        rows: charge, place, the charge's quantity there, and what is covered of the whole charge. A charge's rows are
            always in the same order.

    >>> found = became_of([(1, ("m", "a"), 30, 10), (1, ("m", "b"), 10, 10), (2, ("m", "a"), 5, 0)])
    >>> [(place[1], each.charged, each.covered) for place, each in found.items()]
    [('a', 27, 8), ('b', 8, 2)]
    """
    charges: dict[object, list[tuple[Place, int, int]]] = defaultdict(list)
    for charge, place, quantity, covered in rows:
        charges[charge].append((place, quantity, covered))
    found: dict[Place, Became] = defaultdict(Became)
    for parts in charges.values():
        covered = parts[0][2]
        shares = allocate(covered, [quantity for _, quantity, _ in parts]) if covered else [0] * len(parts)
        for (place, quantity, _), share in zip(parts, shares, strict=True):
            found[place].covered += share
            found[place].charged += quantity - share
    return dict(found)


def balances(
    used: Mapping[tuple[int, Place], Mapping[str, int]],
    became: Mapping[Place, Became],
    before: Mapping[int, Collection[int]] | None = None,
) -> dict[tuple[int, str], Balance]:
    """Balances by feed and meter, but for what was measured.

    Args:
        used: usage by feed and place, told apart as ``nobodys``, ``own_use``, ``elsewhere``, ``gave_way`` and
            ``sold``; of every feed that has any of these places.
        became: what became of all that is sold.
        before: by feed those to which it gives way: no hour counts twice between them, so each has its part.

    >>> used = {(1, ("m", "a")): {"sold": 7, "nobodys": 2}, (1, ("m", "b")): {"sold": 4}, (2, ("m", "b")): {"sold": 4}}
    >>> found = balances(used, {("m", "a"): Became(charged=6, no_rate=1), ("m", "b"): Became(charged=8)})
    >>> found[1, "m"].charged, found[1, "m"].no_rate, found[1, "m"].nobodys, found[1, "m"].twice, found[2, "m"].twice
    (6, 1, 2, 4, 4)
    """
    selling: dict[Place, dict[int, int]] = defaultdict(dict)
    for (feed, place), told in used.items():
        if told.get("sold"):
            selling[place][feed] = told["sold"]
    apart = {place: _parts(became.get(place, Became()), sold, before or {}) for place, sold in selling.items()}
    found: dict[tuple[int, str], Balance] = defaultdict(Balance)
    for (feed, place), told in used.items():
        balance = found[feed, place[0]]
        balance.nobodys += told.get("nobodys", 0)
        balance.own_use += told.get("own_use", 0)
        balance.elsewhere += told.get("elsewhere", 0)
        balance.gave_way += told.get("gave_way", 0)
        if told.get("sold") and feed not in apart[place]:
            balance.twice += told["sold"]
        elif "sold" in told:
            balance.add(apart[place][feed] if told["sold"] else became.get(place, Became()))
    return dict(found)


def _parts(became: Became, sold: Mapping[int, int], before: Mapping[int, Collection[int]]) -> dict[int, Became]:
    """What became of each feed's part, by what it sold; nothing where some measured the same and none gives way.

    >>> parts = _parts(Became(charged=8, covered=2), {1: 6, 2: 4}, {2: [1]})
    >>> [(each.charged, each.covered) for each in parts.values()], _parts(Became(), {1: 6, 2: 4}, {})
    ([(5, 1), (3, 1)], {})
    """
    if len(sold) == 1:
        return dict.fromkeys(sold, became)
    pairs = combinations(sold, 2)
    # Costs may be negative; they give way to nothing.
    if min(sold.values()) < 0 or any(
        one not in before.get(other, ()) and other not in before.get(one, ()) for one, other in pairs
    ):
        return {}
    feeds = sorted(sold)
    found = {feed: Became() for feed in feeds}
    rest = [each.name for each in fields(Became) if each.name != "charged"]
    for name in rest:
        for feed, part in zip(feeds, allocate(getattr(became, name), [sold[feed] for feed in feeds]), strict=True):
            setattr(found[feed], name, part)
    for feed in feeds[1:]:
        found[feed].charged = sold[feed] - sum(getattr(found[feed], name) for name in rest)
    found[feeds[0]].charged = became.charged - sum(found[feed].charged for feed in feeds[1:])
    return found


def quantity_within(
    sample: Sample, combine: Combine, by_quarter: Collection[int], first: int, last: int, zone: ZoneInfo
) -> int:
    """The part of a reading from one hour of a zone's clocks until before another, as its usage is.

    >>> half = Sample(1, 1, 1, 1800, 5400, 7)
    >>> quantity_within(half, Combine.SUM, (), 0, 1, ZoneInfo("UTC"))
    4
    """
    made = combine_days([sample], combine, by_quarter)
    packed = [(day, *pack(usage.slots, by_quarter=usage.by_quarter)) for (_, _, day, _), usage in made.items()]
    days, hours, slots = zip(*packed, strict=True)
    return int(unpack(days, hours, slots, zone).within(first, last).quantity.sum())
