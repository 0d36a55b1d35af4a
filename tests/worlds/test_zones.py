"""Sellers whose clocks are not on the full hour with UTC's: each quarter of an hour is charged in its local month."""

from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from zoneinfo import ZoneInfo

import pytest

from gradumen.client.metering.readings import reading_event
from tests.conftest import Service, settle
from tests.worlds.balance import unbalanced
from tests.worlds.owed import owed
from tests.worlds.readings import events
from tests.worlds.stored import differing_pairs
from tests.worlds.test_worlds import bring_in, check, set_tax, set_up, unaccounted
from tests.worlds.used import Use
from tests.worlds.worlds import GIB, Customer, Family, Link, Stretch, Subscription, Version

FIRST = date(2026, 9, 1)
QUARTER = timedelta(minutes=15)


def version(day: date, price: int) -> Version:
    fees = {"heath": Fraction(300), "moor": Fraction(600)}
    return Version(day, "flat", (Fraction(price),), (), 0, 0, Fraction(0), None, fees, 0, Fraction(0))


@pytest.mark.parametrize("name", ["Asia/Kathmandu"])
def test_quarters_around_midnight_are_charged_in_their_local_month_and_version(service: Service, name: str) -> None:
    zone = ZoneInfo(name)
    provider = set_up(service.url)
    set_tax(provider, "tarnwick")
    changed = date(2026, 9, 16)
    links = [
        Link(
            "tarnwick", "between", ZoneInfo("Europe/Dublin"), "EUR", [version(FIRST, 3), version(changed, 5)], "buyer"
        ),
        Link("between", "customer", zone, "EUR", [version(FIRST, 7), version(changed, 11)], "tenant"),
    ]
    customer = Customer("customer", links, [Subscription("All", [Stretch(FIRST, "heath", 1, False)])])
    family = Family("plan", {"heath": 0}, [customer])
    for day in (FIRST, changed, date(2026, 10, 1)):
        midnight = datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)
        # Each quarter is another power of two, so that a sum says which of them are in it.
        customer.usage += [Use(midnight + number * QUARTER, GIB << (number + 4), "all") for number in range(-4, 4)]
    sellers = bring_in(provider, service.url, family)
    provider.clock.set(datetime(2026, 10, 5, tzinfo=UTC), held=True)
    assert provider.readings.send("tarnwick/all", events(customer)).refused == 0

    before = sum(1 << number for number in range(4))
    after = sum(1 << number for number in range(4, 8))
    amounts = owed(family, links[1])
    assert tuple(amounts["customer", "All", "traffic", number] for number in (1, 2)) == (
        7 * (after + before),
        11 * (after + before),
    )
    for link in links:
        check(sellers[link.seller], family, link, 0)
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {} and unbalanced(service.uow) == {}
    assert unaccounted(provider, "tarnwick") == []
    shown = sellers["between"].usage.sum("between", "2026-09", by=["day"])
    days = {each.keys["day"]: int(each.quantity) // GIB for each in shown.items}
    assert days == {"2026-09-01": after, "2026-09-15": before, "2026-09-16": after, "2026-09-30": before}

    # Across midnight there, of somebody and of nobody, in lengths that do not divide.
    between = sellers["between"]
    between.feeds.create("between", slug="own", name="Own")
    for day in (FIRST, date(2026, 10, 1)):
        midnight = datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)
        for owner in ("customer/all", None):
            data = {
                "resource": f"{owner} {day}",
                "meter": "network/egress",
                "quantity": "1000003",
                "unit": "byte",
                "start": (midnight - timedelta(minutes=7, seconds=13)).isoformat(),
                "end": (midnight + timedelta(hours=3, minutes=11)).isoformat(),
                "attributes": {},
            }
            event = reading_event("/worlds", f"{owner} {day}", data | ({"owner": owner} if owner else {}))
            assert between.readings.send("between/own", [event]).refused == 0
    assert unaccounted(between, "between") == []
    for client in sellers.values():
        client.close()
