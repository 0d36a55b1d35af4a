"""What all that customers use of the provider's own services costs it, by plain fractions."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from fractions import Fraction
from random import Random
from zoneinfo import ZoneInfo

from tests.worlds.making import (
    assign_more,
    cost_more,
    hold_more,
    make_subscriptions,
    make_version,
    tell_more,
    use_more,
)
from tests.worlds.owed import Key, by_itself, by_rates, settled
from tests.worlds.spans import ZERO, Cell, Span, held, rounded, seconds, spans, whole_month
from tests.worlds.used import Month
from tests.worlds.worlds import DAYS, FIRST, Customer, Family, Link


@dataclass
class Everybody(Family):
    """All customers of the provider's, which buys from itself what they use."""

    def below(self, link: Link) -> list[Customer]:
        return self.customers


def make_own(random: Random) -> Link:
    """The provider's own cost, in versions: prices of all that is used, a fixed cost, and what is put on top."""
    days = [date(2026, 1, 1), *(FIRST + timedelta(days=each) for each in sorted(random.sample(range(1, DAYS - 1), 2)))]
    over = random.choice(["subscription", "project", "buyer", "tenant"])
    versions = [
        replace(
            make_version(random, day, over),
            off=0,
            less=0,
            part=0,
            promised=None,
            rent=Fraction(random.choice([0, 800, 1234])),
            overhead=random.choice([0, 7, 10]),
        )
        for day in days[: random.randint(1, 3)]
    ]
    zone = ZoneInfo("Europe/Dublin")
    return Link("tarnwick", "tarnwick", zone, "EUR", versions, over, random.choice(["subscription", "tenant", "buyer"]))


def make_house(random: Random, own: Link, of: Family) -> Family:
    """The provider as its own customer, of a family's plan."""
    house = Customer("tarnwick", [own], list(make_subscriptions(random, False)))
    for each in house.subscriptions if of.later is not None else ():
        # Who comes later subscribes to the newest.
        each.stretches = [replace(one, plan=2) for one in each.stretches]
    for each in house.subscriptions:
        if each.ends_on and not of.may_end(each, each.ends_on):
            each.ends_on = None
    use_more(random, house, random.randint(0, 12))
    hold_more(random, house, random.randint(0, 8))
    tell_more(random, house, random.randint(0, 6))
    cost_more(random, house, random.randint(0, 8))
    assign_more(random, house)
    return replace(of, customers=[house], withdrawn=None, by_hand=[], terms=[], cards=[])


def own_cost(families: Sequence[Family], own: Link, month: Month) -> dict[Key, Fraction]:
    """Exact amounts of a month, by whose subscription, rate and version they are.

    Nothing is included in what others use, nothing of it free of charge as a trial.
    """
    customers = [customer for family in families for customer in family.customers]
    everybody = Everybody("", {}, customers)
    covered = sorted(
        everywhere(families, month), key=lambda span: (span.customer.slug, span.subscription.name, span.start)
    )
    charged = by_rates(everybody, own, covered, month)
    for number, place, amount in rents(everybody, own, covered, month):
        charged["rent", number, place] += amount
    found = settled(own, covered, charged, month)
    sums: dict[Cell, Fraction] = defaultdict(Fraction)
    for (_, number, place), amount in found.items():
        sums[number, place] += amount
    for (number, place), amount in sums.items():
        found["overhead", number, place] = max(ZERO, amount) * own.versions[number].overhead / 100
    told: dict[Key, Fraction] = defaultdict(Fraction)
    for (rate, number, place), amount in found.items():
        told[covered[place].customer.slug, covered[place].subscription.name, rate, number + 1] += amount
    return {key: amount for key, amount in told.items() if amount}


def everywhere(families: Sequence[Family], month: Month) -> Iterator[Span]:
    """All that the provider sells in a month, through whomever, and what it uses itself."""
    for family in families:
        for customer in family.customers:
            for link in customer.all_links:
                if link.seller == "tarnwick":
                    for span in spans(family, customer, link, month):
                        paid = replace(span, stretch=replace(span.stretch, trial=False), allowance=0, named=False)
                        yield replace(span if link.buyer == link.seller else paid, side=link.buyer)


def rents(everybody: Family, own: Link, covered: list[Span], month: Month) -> Iterator[tuple[int, int, Fraction]]:
    """Each version's part of a fixed cost by who used how much traffic; without any, by what was subscribed to."""
    used: dict[tuple[int, int], Fraction] = defaultdict(Fraction)
    for customer in everybody.customers:
        for use, cell in by_itself(customer, own, covered, month):
            used[cell] += use.quantity
    for number, version in enumerate(own.versions):
        start, end = held(own, number, month)
        amount = rounded(version.rent * Fraction(seconds(start, end), whole_month(own, month)), 12)
        keys = {place: used[number, place] for place in range(len(covered)) if used[number, place]}
        keys = keys or {
            place: Fraction(span.within(start, end)) for place, span in enumerate(covered) if not span.stretch.paused
        }
        for place, key in keys.items():
            if amount and key:
                yield number, place, amount * key / sum(keys.values())
