"""Makes families at random."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from itertools import pairwise
from random import Random
from zoneinfo import ZoneInfo

from tests.worlds.deriving import derive
from tests.worlds.samplings import SAMPLED
from tests.worlds.used import Cost, Level, Told, Use
from tests.worlds.worlds import (
    DAYS,
    FIRST,
    GIB,
    LAST,
    MINOR,
    MONTHS,
    PROJECTS,
    STEPS,
    WHOLE_HOURS,
    ZONES,
    Assigned,
    ByHand,
    CardAgreed,
    Customer,
    Family,
    Link,
    Move,
    Stretch,
    Subscription,
    Terms,
    Version,
    Window,
    among,
)

CURRENCIES = ("EUR", "EUR", "GBP", "JPY")
"""In which suppliers state costs."""


def make_version(random: Random, day: date, over: str) -> Version:
    kind = random.choice(["flat", "blocks", "whole", "lot"])
    prices = tuple(Fraction(random.randint(1, 90_000), 10 ** random.randint(2, 5)) for _ in range(3))
    ends = tuple(sorted(random.sample(range(3, 400), 2)))
    count = {"flat": 1, "lot": 1}.get(kind, 3)
    minimum, cap = random.choice([(0, None), (0, None), (7, None), (0, 60), (3, 45)])
    return Version(
        day,
        kind,
        prices[:count],
        ends[:1] if kind == "lot" else ends[: count - 1],
        random.choice([0, 0, 15, 120]),
        0 if over == "project" else random.choice([0, 0, 0, 80]),
        Fraction(minimum),
        None if cap is None else Fraction(cap),
        {tier: Fraction(random.randint(0, 20_000), 100) for tier in ("heath", "moor")},
        random.choice([0, 0, 7, 15]),
        Fraction(random.choice([0, 0, 0, 90, 745])),
        make_window(random),
        random.random() < 0.5,
        Fraction(random.choice([0, 0, 35])),
        Fraction(random.choice([0, 0, 270])),
        random.choice([0, 0, 0, 11, 240]),
        {meter: Fraction(random.randint(1, 900), 1000) for meter in SAMPLED if random.random() < 0.5},
        random.choice([None, Fraction(random.randint(1, 900), 1000)]),
        random.choice(list(STEPS)),
        random.choice([None, Fraction(random.randint(1, 90), 1000)]),
        random.choice([None, 0, 8, 12]),
        Fraction(random.choice([0, 0, 9])),
        random.choice([None, Fraction(random.randint(1, 900), 1000)]),
        part=random.choice([0, 0, 20]),
        worked=Fraction(random.randint(1, 9_000), 100),
    )


def make_window(random: Random) -> Window | None:
    days = tuple(range(7))
    hours = random.choice([None, (days, 22, 6), ((5, 6), 0, 24), ((0, 4), 8, 18)])
    return None if hours is None else Window(*hours, Fraction(random.randint(0, 900), 1000))


def make_link(random: Random, seller: str, buyer: str, zones: Sequence[str]) -> Link:
    later = random.sample(range(1, DAYS - 1), random.choice([0, 1, 2]))
    days = [date(2026, 1, 1), *(FIRST + timedelta(days=number) for number in sorted(later))]
    zone = ZoneInfo("Europe/Dublin" if seller == "tarnwick" else random.choice(zones))
    over = random.choice(["subscription", "project", "buyer", "tenant"])
    versions = [make_version(random, day, over) for day in days]
    named = random.sample(days, random.randint(1, len(days)))
    versions += [replace(make_version(random, day, over), named=True) for day in sorted({days[0], *named})]
    least_over = random.choice(["subscription", "tenant", "buyer"])
    renews = random.random() < 0.35
    advance = random.random() < 0.25
    return Link(seller, buyer, zone, random.choice(list(MINOR)), versions, over, least_over, advance, renews=renews)


def make_family(random: Random, number: int) -> Family:
    """One to three tenants under the provider, or under one or two resellers, some under either.

    The plan may be the first reseller's own, but that of the first family.
    """
    between = [f"reseller-{number}", f"branch-{number}"][: random.choice([0, 1, 1, 2])]
    moves = len(between) > 0 and random.random() < 0.5
    zones = WHOLE_HOURS if moves else ZONES
    above = [make_link(random, *pair, zones) for pair in pairwise(["tarnwick", *between])]
    owner = between[0] if between and number and random.random() < 0.35 else "tarnwick"
    later = random.choice([None, {}, {"heath": 30 * GIB}, {"moor": 90 * GIB}])
    for base, link in pairwise(above):
        if random.random() < 0.4:
            derive(random, link, base, own_fees=owner != "tarnwick")
    zone_of = {each.seller: each.zone for each in above}
    customers = []
    for letter in "abc"[: random.choice([1, 1, 2, 3])]:
        over = above if letter == "a" else above[: random.randint(min(1, len(above)), len(above))]
        seller = over[-1].buyer if over else "tarnwick"
        own = make_link(random, seller, f"customer-{number}{letter}", zones)
        own.zone = zone_of.setdefault(seller, own.zone)
        if over and random.random() < 0.4:
            derive(random, own, over[-1], own_fees=owner != "tarnwick" and len(over) == 1)
        customers.append(Customer(own.buyer, [*over, own], list(make_subscriptions(random, later is not None))))
        use_more(random, customers[-1], random.randint(0, 24))
        hold_more(random, customers[-1], random.randint(0, 16))
        tell_more(random, customers[-1], random.randint(0, 12))
        cost_more(random, customers[-1], random.randint(0, 20))
    family = Family(
        f"plan-{number}",
        {"heath": random.choice([0, 80 * GIB])},
        customers,
        random.choice([0, 4, 10]),
        owner,
        later,
        random.choice([0, 1, 1]),
    )
    for each in (held for customer in customers for held in customer.subscriptions):
        if each.ends_on and not family.may_end(each, each.ends_on):
            each.ends_on = None
    if moves:
        plan_move(random, family, number)
    for customer in customers:
        assign_more(random, customer)
        for link, each, day in sold_on(random, customer):
            family.by_hand.append(ByHand(link, customer.slug, each.name, day, random.randint(1, 90_000)))
        for link, each, day in sold_on(random, customer):
            again = min(day + timedelta(days=random.randint(1, 40)), LAST - timedelta(days=1))
            family.cards.append(CardAgreed(link, customer.slug, each.name, day, True))
            if random.random() < 0.3 and sold(customer, link, each, again) and again > day:
                family.cards.append(CardAgreed(link, customer.slug, each.name, again, False))
        for link, each, day in sold_on(random, customer):
            family.terms.append(Terms(link, customer.slug, each.name, day, random.choice([0, 30, 300])))
    return family


def assign_more(random: Random, customer: Customer) -> None:
    """Rules of who has several subscriptions and stays with its seller: what falls to which."""
    if len(customer.subscriptions) < 2 or (customer.move and customer.move.mover == customer.slug):
        return
    names = ["r", "app", "disk-1", f"{customer.slug}-m1", f"{customer.slug}-vm-1"]
    for _ in range(random.choice([1, 2, 3])):
        first = FIRST + timedelta(days=random.randrange(DAYS))
        name, until = random.choice(customer.subscriptions).name, first + timedelta(days=random.randint(1, DAYS))
        of = random.choice([{"project": random.choice(PROJECTS)}, {"resource": random.choice(names)}])
        customer.assigned.append(Assigned(name, first, until, **of))


def sold_on(random: Random, customer: Customer) -> Iterator[tuple[Link, Subscription, date]]:
    """For some sellers a day on which each sells one of a customer's subscriptions."""
    for link in customer.all_links:
        each = random.choice(customer.subscriptions)
        day = FIRST + timedelta(days=random.randrange(DAYS))
        if sold(customer, link, each, day) and random.random() < 0.3:
            yield link, each, day


def sold(customer: Customer, link: Link, each: Subscription, day: date) -> bool:
    """Whether a subscription is sold on a link on a day."""
    move = customer.move
    # Who comes back agrees upon nothing any more.
    elsewhere = move is not None and (move.is_left(link, day) or (among(link, move.left) and day >= move.day))
    return each.stretches[0].day <= day < (each.ends_on or LAST) and not elsewhere


def make_subscriptions(random: Random, changes_plan: bool) -> Iterator[Subscription]:
    """One for all, and perhaps another for the barn, which may begin later."""
    yield Subscription("All", *make_stretches(random, FIRST, random.choice([0, 0, 6, 14]), changes_plan))
    if random.random() < 0.4:
        begins = random.choice([FIRST, FIRST + timedelta(days=random.randint(1, DAYS - 20))])
        yield Subscription("Barn", *make_stretches(random, begins, 0, changes_plan), "barn")


def make_stretches(random: Random, begins: date, trial: int, changes_plan: bool) -> tuple[list[Stretch], date | None]:
    """What holds from day to day, and when it ends, where it does; perhaps it goes over to the plan's second version."""
    stretches = [Stretch(begins, random.choice(["heath", "moor"]), random.randint(1, 3), False, bool(trial))]
    if trial:
        stretches.append(replace(stretches[0], day=begins + timedelta(days=trial), trial=False))
    start = (stretches[-1].day - FIRST).days + 1
    for day in sorted(random.sample(range(start, DAYS - 1), random.choice([0, 1, 2, 3]))):
        before = stretches[-1]
        kind = random.choice(["tier", "quantity", "pause", *(["plan"] if changes_plan and before.plan == 1 else [])])
        stretches.append(
            Stretch(
                FIRST + timedelta(days=day),
                ({"heath": "moor", "moor": "heath"}[before.tier] if kind == "tier" else before.tier),
                before.quantity % 4 + 1 if kind == "quantity" else before.quantity,
                not before.paused if kind == "pause" else before.paused,
                plan=2 if kind == "plan" else before.plan,
            )
        )
    return stretches, LAST - timedelta(days=1) if random.random() < 0.2 else None


def plan_move(random: Random, family: Family, number: int) -> None:
    """Let a customer, or one that sells to it, move in the months: under one above its seller, or another reseller.

    Often on a day on which what the customer holds changes, or ends, or on the first of the next month.
    """
    one = random.choice(family.customers)
    top = random.randint(0 if family.owner == "tarnwick" else 1, len(one.links) - 1)
    left = one.links[top : random.randint(top + 1, len(one.links))]
    mover, nearest = left[-1].buyer, left[0]
    concerned = [each for each in family.customers if any(link.buyer == mover for link in each.links)]
    held = [each for customer in concerned for each in customer.subscriptions]
    changes = [stretch.day for each in held for stretch in each.stretches[1:]]
    day = random.choice([LAST, *(FIRST + timedelta(days=random.randint(1, DAYS - 2)) for _ in range(2))])
    if changes and random.random() < 0.3:
        day = random.choice(changes)
    if any(day == each.stretches[0].day for each in held):
        day = LAST
    for each in held:
        if LAST > day > each.stretches[-1].day and family.may_end(each, day) and random.random() < 0.2:
            each.ends_on = day
    by_another = len(left) == 1 or random.random() < 0.7
    chain = [nearest.seller, *([f"other-{number}"] if by_another else []), mover]
    later = [make_link(random, *pair, WHOLE_HOURS) for pair in pairwise(chain)]
    later[0].zone = nearest.zone
    later[-1].currency = left[-1].currency
    if random.random() < 0.5 and (by_another or left[0].currency == left[-1].currency):
        # By the card that all have who buy there.
        later[0] = replace(left[0], buyer=later[0].buyer)
    at = datetime(day.year, day.month, day.day, tzinfo=nearest.zone).astimezone(UTC)
    # What holds from the day on is for the new seller to decide.
    decided = any(change >= day for change in changes) and mover == one.slug
    move = Move(mover, day, at, left, later, random.random() < 0.4 and not decided)
    if random.random() < 0.2:
        family.withdrawn = move
        return
    free = (LAST - day).days
    if free > 5 and random.random() < 0.5:
        back = day + timedelta(days=random.randint(2, free - 2))
        if all(back != each.stretches[0].day for each in held):
            move.back, move.back_at = (
                back,
                datetime(back.year, back.month, back.day, tzinfo=nearest.zone).astimezone(UTC),
            )
    for customer in concerned:
        customer.move = move


def change_late(random: Random, family: Family) -> Iterator[tuple[Customer, Subscription]]:
    """Change a subscription once the month is billed, or let it end within it; gives those that were."""
    for customer in family.customers:
        each = random.choice(customer.subscriptions)
        first = each.stretches[-1].day + timedelta(days=1)
        if customer.move and customer.move.mover == customer.slug:
            first = max(first, customer.move.back or customer.move.day)
        free = (LAST - first).days
        if each.ends_on or free < 1 or random.random() < 0.5:
            continue
        day, last = first + timedelta(days=random.randrange(free)), each.stretches[-1]
        held = [one.day for one in family.by_hand if (one.customer, one.subscription) == (customer.slug, each.name)]
        if random.random() < 0.3 and family.may_end(each, day) and all(day > one for one in held):
            each.ends_on = day
        else:
            each.stretches.append(replace(last, day=day, quantity=last.quantity % 4 + 1))
        yield customer, each


def restate(random: Random, customer: Customer) -> list[int]:
    """Say something else of some of what was used: how much, of which project, or when; gives their numbers."""
    numbers = random.sample(range(len(customer.usage)), min(len(customer.usage), random.randint(0, 2)))
    for number in numbers:
        use = customer.usage[number]
        customer.usage[number] = replace(
            use,
            quantity=random.choice([0, random.randint(1, 10 ** random.randint(3, 12))]),
            project=random.choice([use.project, *PROJECTS]),
            moment=random.choice([use.moment, use.moment + timedelta(minutes=15 * random.randint(-200, 9))]),
        )
    return numbers


def use_more(random: Random, customer: Customer, times: int) -> None:
    """Some usage more, often in the hour of what is used already or beside it."""
    for _ in range(times):
        beside = random.choice(customer.usage).moment if customer.usage and random.random() < 0.5 else None
        moment = make_moment(random) if beside is None else beside + timedelta(minutes=15 * random.randint(-3, 3))
        quantity = random.randint(1, 10 ** random.randint(3, 12))
        resource = random.choice(["r", "app", "machine"])
        quarters = random.choice([1, 1, 1, 2, 4, 15, 95])
        customer.usage.append(Use(moment, quantity, random.choice(PROJECTS), resource, quarters))


def hold_more(random: Random, customer: Customer, times: int) -> None:
    """Some levels more of a few disks, often in the hour or day of what is there already."""
    for _ in range(times):
        beside = random.choice(customer.levels) if customer.levels and random.random() < 0.6 else None
        meter = random.choice(list(SAMPLED)) if beside is None else beside.meter
        moment = (
            make_moment(random) if beside is None else beside.moment + timedelta(minutes=15 * random.randint(1, 99))
        )
        # What is said must be over by the time.
        moment = min(moment, datetime(LAST.year, LAST.month, 2, tzinfo=UTC))
        quarters = random.choice([1, 3, 4, 10, 96])
        project, resource = random.choice(PROJECTS), random.choice(["disk-1", "disk-2"])
        customer.levels.append(Level(meter, moment, random.randint(0, 50), project, resource, quarters))


def tell_more(random: Random, customer: Customer, times: int) -> None:
    """Something more is said of a few machines, often of the minute of what was said already or beside it."""
    for _ in range(times):
        beside = random.choice(customer.told).moment if customer.told and random.random() < 0.4 else None
        moment = make_moment(random) if beside is None else beside + timedelta(minutes=random.choice([0, 1, 59, 90]))
        machine, phase = random.choice(["m1", "m2"]), random.choice(["awake", "awake", "parked", ""])
        customer.told.append(
            Told(
                moment + timedelta(seconds=random.choice([0, 0, 7])), f"{customer.slug}-{machine}", phase,
                random.choice([1, 1, 3]), random.choice(PROJECTS), len(customer.told),
            )
        )  # fmt: skip


def tell_otherwise(random: Random, customer: Customer) -> list[int]:
    """Say something else of some machines instead; gives the numbers of what was said."""
    numbers = random.sample(range(len(customer.told)), min(len(customer.told), random.randint(0, 2)))
    for number in numbers:
        told = customer.told[number]
        moment = random.choice([told.moment, told.moment - timedelta(minutes=random.randint(1, 3000))])
        phase = random.choice(["awake", "parked", ""]) if told.phase else ""
        project = random.choice(PROJECTS)
        customer.told[number] = replace(told, moment=moment, phase=phase, project=project, sequence=1)
    return numbers


def cost_more(random: Random, customer: Customer, times: int) -> None:
    """Costs more that a supplier states, often of the day of a move or of the end of a month."""
    for _ in range(times):
        days = [FIRST, MONTHS[0][1] - timedelta(days=1), MONTHS[1][0], FIRST + timedelta(days=random.randrange(DAYS))]
        day = random.choice([*days, *turning(customer.move) * 3])
        month = day.replace(day=1) if random.random() < 0.9 else random.choice(MONTHS)[0]
        customer.costs.append(
            Cost(
                day, month, random.randint(-5_000, 90_000), random.choice(CURRENCIES),
                random.choice(PROJECTS), f"{customer.slug}-{random.choice(['vm-1', 'vm-2'])}",
                random.choice(["Usage", "Usage", "Credit", "Tax"]),
            )
        )  # fmt: skip


def turning(move: Move | None) -> list[date]:
    """The days on which a customer moves."""
    return [day for day in (move.day, move.back) if day] if move else []


def cost_less(random: Random, customer: Customer) -> None:
    """One cost is stated no more, if another of its account is: a file says nothing of accounts that it has no row of."""
    accounts = [each.currency for each in customer.costs]
    free = [number for number, currency in enumerate(accounts) if accounts.count(currency) > 1]
    if free:
        del customer.costs[random.choice(free)]


def make_moment(random: Random) -> datetime:
    """The start of a quarter of an hour in or around the month, often near one of its ends in some zone."""
    days = [(month - FIRST).days for month in (FIRST, MONTHS[0][1], LAST)]
    first, length = random.choice([(0, (DAYS + 1) * 24), *((day * 24, 24) for day in days)])
    quarters = first * 4 + random.randint(0, length * 4)
    return datetime(FIRST.year, FIRST.month, 1, tzinfo=UTC) + timedelta(hours=-12, minutes=15 * quarters)
