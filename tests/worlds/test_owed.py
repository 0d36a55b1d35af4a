"""The plain calculation itself, held against amounts worked out by hand: a month of 30 days, fees of 720 a month."""

from collections import defaultdict
from dataclasses import replace
from datetime import UTC, date, datetime
from fractions import Fraction
from zoneinfo import ZoneInfo

from tests.worlds import owed as plain
from tests.worlds.owed import owed_in_advance
from tests.worlds.used import Level, Use
from tests.worlds.worlds import (
    DAYS,
    FIRST,
    GIB,
    MONTHS,
    Customer,
    Family,
    Link,
    Move,
    Stretch,
    Subscription,
    Version,
    Window,
)

DAY = Fraction(24)
PLAIN = Version(
    day=date(2026, 1, 1),
    kind="flat",
    prices=(Fraction(2),),
    ends=(),
    allowance=0,
    committed=0,
    minimum=Fraction(0),
    cap=None,
    fees={"heath": Fraction(720), "moor": Fraction(1440)},
    off=0,
    spend=Fraction(0),
)


def link(*versions: Version, over: str = "subscription") -> Link:
    return Link("tarnwick", "customer", ZoneInfo("UTC"), "EUR", list(versions), over)


def customer(sold: Link, *stretches: Stretch, usage: list[Use] | None = None, allowance: int = 0) -> Family:
    held = list(stretches) or [Stretch(FIRST, "heath", 1, False)]
    return family(Customer("customer", [sold], [Subscription("All", held)], usage or []), allowance=allowance)


def family(*customers: Customer, allowance: int = 0) -> Family:
    return Family("plan", {"heath": allowance * GIB}, list(customers), trial=DAYS)


def owed(sold_to: Family, link: Link) -> dict[tuple[str, int], Fraction]:
    """What a link's month comes to by rate and version."""
    found: dict[tuple[str, int], Fraction] = defaultdict(Fraction)
    for (_, _, rate, version), amount in plain.owed(sold_to, link).items():
        found[rate, version] += amount
    return found


def use(day: int, gib: int, project: str = "all") -> Use:
    return Use(datetime(2026, 9, day, 12, tzinfo=UTC), gib * GIB, project)


def test_a_fee_is_by_seconds_tier_and_quantity() -> None:
    sold = link(PLAIN)
    changed = customer(sold, Stretch(FIRST, "heath", 1, False), Stretch(date(2026, 9, 11), "moor", 2, False))
    assert owed(changed, sold) == {("heath", 1): 10 * DAY, ("moor", 1): 20 * 2 * 2 * DAY}
    sold.advance = True
    assert owed_in_advance(changed, sold) == 2880


def test_nothing_is_raised_while_paused_but_what_is_used_is_charged() -> None:
    sold = link(replace(PLAIN, spend=Fraction(720)))
    paused = customer(
        sold, Stretch(FIRST, "heath", 1, False), Stretch(date(2026, 9, 11), "heath", 1, True), usage=[use(20, 30)]
    )
    assert owed(paused, sold) == {("heath", 1): 240, ("traffic", 1): 60}


def test_a_trial_is_free_and_raises_no_least_spend() -> None:
    sold = link(replace(PLAIN, spend=Fraction(1080)))
    tried = customer(sold, Stretch(FIRST, "heath", 1, False, True), Stretch(date(2026, 9, 11), "heath", 1, False))
    assert owed(tried, sold) == {("heath", 1): 720, ("trial", 1): -240, ("least", 1): 240}


def test_a_least_spend_goes_on_over_versions() -> None:
    early = replace(PLAIN, fees={"heath": Fraction(990), "moor": Fraction(0)}, spend=Fraction(1000))
    late = replace(early, day=date(2026, 9, 16), fees={"heath": Fraction(100), "moor": Fraction(0)})
    sold = link(early, late)
    assert owed(customer(sold), sold) == {
        ("heath", 1): 495,
        ("heath", 2): 50,
        ("least", 1): Fraction(455, 2),
        ("least", 2): Fraction(455, 2),
    }


def test_what_is_committed_follows_the_version_that_holds_last() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    sold = link(replace(free, committed=50), replace(free, day=date(2026, 9, 16), committed=10))
    assert owed(customer(sold, usage=[use(2, 4)]), sold) == {("traffic", 1): 8, ("traffic", 2): 12}
    ended = link(replace(free, committed=50), replace(free, day=date(2026, 9, 16)))
    assert owed(customer(ended), ended) == {}


def test_blocks_count_for_each_project_and_the_tiers_allowance_for_all() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    blocks = replace(free, kind="blocks", prices=(Fraction(2), Fraction(1)), ends=(30,))
    used = [use(2, 40), use(3, 30, "barn")]
    apart, together = link(blocks, over="project"), link(blocks)
    assert owed(customer(apart, usage=used), apart) == {("traffic", 1): 30 * 2 + 10 + 30 * 2}
    assert owed(customer(together, usage=used), together) == {("traffic", 1): 30 * 2 + 40}
    assert owed(customer(apart, usage=used, allowance=50), apart) == {("traffic", 1): 20 * 2}


def test_lots_minimum_cap_and_discount() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    lots = link(replace(free, kind="lot", prices=(Fraction(5),), ends=(100,)))
    assert owed(customer(lots, usage=[use(2, 101)]), lots) == {("traffic", 1): 10}
    bounded = link(replace(free, minimum=Fraction(7), cap=Fraction(60), off=50))
    assert owed(customer(bounded, usage=[use(2, 1)]), bounded) == {("traffic", 1): 7, ("off", 1): Fraction(-7, 2)}
    assert owed(customer(bounded, usage=[use(2, 99)]), bounded) == {("traffic", 1): 60, ("off", 1): -30}
    assert owed(customer(bounded), bounded) == {}


def test_a_window_has_a_price_of_its_own_and_the_tiers_allowance_covers_it_last() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    nights = link(replace(free, window=Window(tuple(range(7)), 22, 6, Fraction(1))))
    at_night = Use(datetime(2026, 9, 2, 23, tzinfo=UTC), 10 * GIB, "all")
    assert owed(customer(nights, usage=[use(2, 4), at_night]), nights) == {("traffic", 1): 8, ("window", 1): 10}
    assert owed(customer(nights, usage=[use(2, 4), at_night], allowance=5), nights) == {("window", 1): 9}
    mondays = link(replace(free, window=Window((0,), 8, 18, Fraction(1))))
    assert owed(customer(mondays, usage=[use(7, 4), use(8, 4)]), mondays) == {("traffic", 1): 8, ("window", 1): 4}


def test_in_each_hour_the_composite_is_charged_or_its_components() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    used = [replace(use(2, 4), resource="app"), replace(use(2, 8), resource="machine")]
    apart = [replace(use(3, 16), resource="app"), replace(use(4, 32), resource="machine"), use(2, 64)]
    whole, in_pieces = link(free), link(replace(free, components=True))
    assert owed(customer(whole, usage=[*used, *apart]), whole) == {("traffic", 1): 2 * (4 + 16 + 32 + 64)}
    assert owed(customer(in_pieces, usage=[*used, *apart]), in_pieces) == {("traffic", 1): 2 * (8 + 16 + 32 + 64)}


def test_a_statistic_counts_for_every_hour_that_was_sampled() -> None:
    """Two disks of two hours: 10 and 4 GiB, the second for half an hour longer."""
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})

    def levels(meter: str) -> list[Level]:
        at = datetime(2026, 9, 2, 10, tzinfo=UTC)
        low = at.replace(hour=11)
        return [
            Level(meter, at, 10, "all", "disk-1", 4),
            Level(meter, low, 2, "all", "disk-1", 4),
            Level(meter, at, 4, "all", "disk-2", 6),
        ]

    for meter, expected in (
        ("daily", 2 * 10 + 2 * 4),
        ("monthly", 2 * 10 + 2 * 4),
        ("highest", 2 * 10),
        ("mean", 12),
        ("hourly", 10 + 2),
        ("counted", 2),
    ):
        sold = link(replace(free, peaks={meter: Fraction(3)}))
        held = customer(sold)
        held.customers[0].levels = levels(meter)
        assert owed(held, sold) == {(meter, 1): 3 * expected}, meter


def test_a_term_is_charged_in_the_month_in_which_it_ends_or_begins() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)}, quarter=Fraction(91))
    sold, october = link(free), MONTHS[1]
    ended = customer(sold)
    ended.customers[0].subscriptions[0].ends_on = date(2026, 10, 11)
    assert owed(ended, sold) == {}
    assert {key[2]: amount for key, amount in plain.owed(ended, sold, october).items()} == {"quarter-heath": 40}
    sold.advance = True
    assert owed(ended, sold) == {("quarter-heath", 1): 40}
    assert plain.owed(ended, sold, october) == {}


def test_what_changes_on_the_day_of_a_move_does_so_at_its_moment_on_whatever_clocks() -> None:
    turn = datetime(2026, 9, 15, 23, tzinfo=UTC)
    old, new = replace(link(PLAIN), zone=ZoneInfo("Asia/Tokyo")), link(PLAIN)
    stretches = [Stretch(FIRST, "heath", 1, False), Stretch(date(2026, 9, 16), "moor", 1, False)]
    moved = customer(old, *stretches)
    moved.customers[0].move = Move("customer", date(2026, 9, 16), turn, [old], [new])
    # September begins nine hours sooner in Tokyo.
    assert owed(moved, old) == {("heath", 1): 14 * DAY + 9 + 23}
    assert owed(moved, new) == {("moor", 1): 2 * (14 * DAY + 25)}


def test_what_is_charged_once_or_for_a_quarter() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)}, once=Fraction(35), quarter=Fraction(91))
    sold = link(free)
    changed = customer(sold, Stretch(FIRST, "heath", 2, False), Stretch(date(2026, 9, 11), "moor", 1, False))
    ended = {("once-heath", 1): 70, ("quarter-heath", 1): 20}
    assert owed(changed, sold) == ended
    sold.advance = True
    assert owed(changed, sold) == {**ended, ("quarter-moor", 1): 81}


def two(sold: Link, first: list[Use], second: list[Use], *, trial: bool = False) -> Family:
    """Two customers over one link, the first perhaps on trial all month."""
    held = [[Subscription("All", [Stretch(FIRST, "heath", 1, False, each)])] for each in (trial, False)]
    used = zip("ab", held, (first, second), strict=True)
    return family(*(Customer(slug, [sold], subscriptions, usage) for slug, subscriptions, usage in used))


def test_what_customers_use_together_is_priced_as_one_and_shared_by_quantity() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
    sold = link(replace(free, kind="blocks", prices=(Fraction(2), Fraction(1)), ends=(30,)), over="buyer")
    assert plain.owed(two(sold, [use(2, 30)], [use(3, 10)]), sold) == {
        ("a", "All", "traffic", 1): Fraction(70 * 3, 4),
        ("b", "All", "traffic", 1): Fraction(70, 4),
    }
    sold.over = "tenant"
    assert owed(two(sold, [use(2, 30)], [use(3, 10)]), sold) == {("traffic", 1): 80}


def test_what_is_committed_is_not_free_because_another_is_on_trial() -> None:
    free = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)}, committed=90)
    sold = link(free, over="buyer")
    assert plain.owed(two(sold, [use(2, 10)], [], trial=True), sold) == {
        ("a", "All", "traffic", 1): 20,
        ("a", "All", "trial", 1): -20,
        ("b", "All", "traffic", 1): 160,
    }


def test_a_least_spend_is_each_scopes() -> None:
    sold = link(replace(PLAIN, spend=Fraction(1000)))
    customers = two(sold, [], [use(2, 400)])
    for over, missing in ("buyer", 0), ("tenant", 280), ("subscription", 280):
        sold.least_over = over
        assert owed(customers, sold).get(("least", 1), 0) == missing


def test_a_projects_subscription_takes_its_usage_from_its_first_day_on() -> None:
    sold = link(replace(PLAIN, once=Fraction(5)))
    barn = Subscription("Barn", [Stretch(date(2026, 9, 16), "heath", 1, False)], None, "barn")
    both = customer(sold, usage=[use(2, 1, "barn"), use(20, 2), use(20, 4, "barn")])
    both.customers[0].subscriptions.append(barn)
    assert plain.owed(both, sold) == {
        ("customer", "All", "heath", 1): 720,
        ("customer", "All", "once-heath", 1): 5,
        ("customer", "All", "traffic", 1): 6,
        ("customer", "Barn", "heath", 1): 360,
        ("customer", "Barn", "once-heath", 1): 5,
        ("customer", "Barn", "traffic", 1): 8,
    }
