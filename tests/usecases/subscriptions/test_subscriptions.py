"""Subscriptions over time: tier, quantity, pauses and trials, on the invoice to the cent."""

from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from gradumen.core.errors import EditedMeanwhile, Forbidden, Invalid
from gradumen.core.exact import add
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionBody, SubscriptionChange, SubscriptionCreate
from tests.world import GIB, World, egress, files, moment, rate_card

pytestmark = pytest.mark.usefixtures("charged_anew")

PLAN = """
plan: long-hold
name: Long Hold
services: [network]
minimum-months: 6
tiers:
  - {tier: heath, name: Heath}
---
offer: long-hold
"""


def quillstone(world: World) -> SubscriptionBody:
    return world.mara.subscriptions.list("quillstone")[0]


def change(world: World, day: date, **changes: Any) -> SubscriptionBody:
    return world.mara.subscriptions.change(
        quillstone(world).id,
        SubscriptionChange(starts_on=day, **changes),
    )


def september(world: World) -> InvoiceBody:
    return next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")


def amounts(*texts: str) -> list[Decimal]:
    return [Decimal(each) for each in texts]


def test_a_tier_change_in_mid_month_is_prorated_and_blocks_count_on(world: World) -> None:
    """10 days at heath and 20 at moor; the third of heath's allowance; one count of blocks over both."""
    change(world, date(2026, 8, 1), tier="heath")
    change(world, date(2026, 9, 11), tier="moor")
    world.send(
        egress("a", 60 * GIB, owner="quillstone/archive", start="2026-09-05T00:00:00Z", end="2026-09-05T01:00:00Z"),
        egress("b", 60 * GIB, owner="quillstone/archive", start="2026-09-20T00:00:00Z", end="2026-09-20T01:00:00Z"),
    )
    lines = [line for line in september(world).lines if line.service_start.month == 8 or line.service_end.month >= 9]
    of_september = [line for line in lines if line.service_end > line.service_start.replace(day=1)]
    found = {
        (line.rate, line.service_end.day): line.amount
        for line in of_september
        if line.service_start.isoformat() >= "2026-08-31"
    }

    assert found["heath", 10] == Decimal("6.63")
    assert found["moor", 30] == Decimal("52.67")
    exact = Decimal(50) * Decimal("0.07") + (Decimal(120) - Decimal(10) / 3 - 50) * Decimal("0.05")
    egressed = add([amount for (rate, _), amount in found.items() if rate == "egress"])
    assert abs(egressed - exact) < Decimal("0.02")


def test_a_pause_stops_fees_and_not_usage(world: World) -> None:
    change(world, date(2026, 9, 11), paused=True)
    change(world, date(2026, 9, 21), paused=False)
    world.send(
        egress("a", 10 * GIB, owner="quillstone/archive", start="2026-09-15T00:00:00Z", end="2026-09-15T01:00:00Z")
    )
    lines = [line for line in september(world).lines if line.service_start.isoformat() >= "2026-08-31"]

    assert [line.amount for line in lines if line.rate == "moor"] == amounts("26.33", "26.33")
    assert [line.amount for line in lines if line.rate == "egress"] == amounts("0.70")
    assert [(each.starts_on.day, each.paused) for each in quillstone(world).stretches] == [
        (1, False),
        (11, True),
        (21, False),
    ]


def test_more_of_a_subscription_costs_more_from_its_day(world: World) -> None:
    change(world, date(2026, 9, 16), quantity=3)
    found = [
        line.amount
        for line in september(world).lines
        if line.rate == "moor" and line.service_start.isoformat() >= "2026-08-31"
    ]

    assert sorted(found) == amounts("39.50", "118.50")


def test_a_trial_costs_nothing_until_its_day(world: World) -> None:
    world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="quillstone",
            project="archive",
            plan="open-range",
            tier="heath",
            name="Tried",
            starts_on=date(2026, 9, 1),
            trial_until=date(2026, 9, 16),
        )
    )
    world.send(
        egress("a", 30 * GIB, owner="quillstone/archive", start="2026-09-03T00:00:00Z", end="2026-09-03T01:00:00Z")
    )
    lines = [line for line in september(world).lines if line.subscription == "Tried"]

    assert add([line.amount for line in lines if line.service_end.day < 20]) == 0
    assert [line.amount for line in lines if line.rate == "heath" and line.service_end.day >= 20] == amounts("9.95")
    assert "Trial, free of charge" in [line.description for line in lines]


def test_a_change_after_the_month_was_billed_comes_on_the_next_document(world: World) -> None:
    september(world)
    change(world, date(2026, 9, 16), tier="heath")
    world.mara.clock.set(moment("2026-11-05"), held=True)
    october = next(each for each in world.close("tarnwick", "finn", "2026-10") if each.buyer == "quillstone")
    late = [line for line in october.lines if line.service_start.isoformat() < "2026-09-30"]

    assert {(line.rate, line.amount) for line in late} == {("moor", Decimal("-39.50")), ("heath", Decimal("9.95"))}


def test_a_fee_in_advance_stands_beside_arrears_and_what_is_unused_comes_back(world: World) -> None:
    card = rate_card("advance-eur", "EUR", "any", "1").replace(
        "fee: open-range/moor, price: 79", "fee: open-range/moor, advance: true, price: 60"
    )
    assert "advance" in card
    world.mara.catalogue.publish("tarnwick", files(card))
    made = world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="quillstone",
            project="archive",
            plan="open-range",
            tier="moor",
            name="Ahead",
            starts_on=date(2026, 9, 16),
            rate_card="advance-eur",
        )
    )
    ahead = [line for line in september(world).lines if line.subscription == "Ahead" and line.amount]
    assert [(line.service_start.isoformat()[:10], line.amount) for line in ahead] == [
        ("2026-09-15", Decimal(30)),
        ("2026-09-30", Decimal(60)),
    ]
    world.mara.subscriptions.end(made.id, date(2026, 10, 1))
    world.mara.clock.set(moment("2026-11-05"), held=True)
    october = next(each for each in world.close("tarnwick", "finn", "2026-10") if each.buyer == "quillstone")

    assert [line.amount for line in october.lines if line.subscription == "Ahead" and line.amount] == amounts("-60")


def test_a_plan_with_a_minimum_term_is_not_ended_before(world: World) -> None:
    card = rate_card("long-eur", "EUR", "any", "1").split("  - {rate: heath")[0]
    world.mara.catalogue.publish("tarnwick", files(PLAN, card))
    made = world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="quillstone", plan="long-hold", tier="heath", name="Long", starts_on=date(2026, 9, 1)
        )
    )
    with pytest.raises(Invalid, match="at least 6 months; the earliest end from 2026-10-05 is 2027-03-01"):
        world.mara.subscriptions.end(made.id, date(2027, 2, 28))
    assert world.mara.subscriptions.end(made.id, date(2027, 3, 1)).ends_on == date(2027, 3, 1)


def test_a_change_that_does_not_fit_says_why(world: World) -> None:
    with pytest.raises(Invalid, match="between 2026-08-01"):
        change(world, date(2026, 7, 1), quantity=2)
    with pytest.raises(Invalid, match="no tier 'peak'"):
        change(world, date(2026, 9, 1), tier="peak")
    with pytest.raises(Invalid, match="between 1 and"):
        change(world, date(2026, 9, 1), quantity=0)
    with pytest.raises(EditedMeanwhile):
        change(world, date(2026, 9, 1), quantity=2, version=7)
    with pytest.raises(Forbidden):
        found = world.user("una").subscriptions.list("quillstone")[0]
        world.user("una").subscriptions.change(found.id, SubscriptionChange(starts_on=date(2026, 9, 1), quantity=2))


def test_asking_for_the_same_change_again_changes_nothing_more(world: World) -> None:
    first = change(world, date(2026, 9, 11), tier="heath", quantity=2)
    again = change(world, date(2026, 9, 11), tier="heath", quantity=2)
    assert first.stretches == again.stretches and len(again.stretches) == 2
