"""Today is the day on the seller's clocks: at 23:30 UTC it is tomorrow in Dublin and London."""

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid, VersionInForce
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.orders import OrderCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.usecases.catalogue.test_derived_cards import derived
from tests.world import RUBEN, World, add_bluefern, files, rate_card


def at(world: World, day: int, hour: int) -> None:
    world.mara.clock.set(datetime(2026, 10, day, hour, 30, tzinfo=UTC), held=True)


def later(slug: str, day: str, buyers: str = "tenants") -> str:
    return rate_card(slug, "EUR", buyers, "2", day)


def in_force(world: World, user: str, seller: str, slug: str) -> list[tuple[date, bool]]:
    versions = world.user(user).catalogue.rate_card(seller, slug).versions
    return [(each.starts_on, each.in_force) for each in versions]


def test_no_price_changes_on_a_day_that_has_begun_at_the_seller(world: World) -> None:
    at(world, 5, 23)
    with pytest.raises(VersionInForce, match="start the new one after 2026-10-06"):
        world.mara.catalogue.publish("tarnwick", files(later("tenants-eur", "2026-10-06")))
    world.mara.catalogue.publish("tarnwick", files(later("tenants-eur", "2026-10-07")))
    told = world.user("una").catalogue.price_changes()
    assert [each.starts_on for each in told] == [date(2026, 10, 7)]
    first = date(2026, 1, 1)
    assert in_force(world, "mara", "tarnwick", "tenants-eur") == [(first, True), (date(2026, 10, 7), False)]
    at(world, 6, 23)
    assert in_force(world, "mara", "tarnwick", "tenants-eur") == [(first, False), (date(2026, 10, 7), True)]
    assert world.user("una").catalogue.price_changes() == []


def test_a_card_follows_no_sooner_than_on_its_own_sellers_next_day(world: World) -> None:
    """It is 23:30 in Dublin, half an hour past midnight in Brussels."""
    add_bluefern(world)
    tenant = {"type": "tenant", "slug": "otter", "name": "Otter", "country": "GB", "currency": "GBP"}
    ruben = world.user(RUBEN)
    ruben.organisations.create(OrganisationCreate(parent="bluefern", billing_zone="Europe/London", **tenant))
    held = {"plan": "open-range", "tier": "heath", "name": "Open Range", "starts_on": date(2026, 8, 1)}
    ruben.subscriptions.create(SubscriptionCreate(organisation="otter", **held))
    ruben.catalogue.publish("bluefern", files(derived("retail", "tarnwick/resellers-eur")))
    at(world, 5, 22)
    world.mara.catalogue.publish("tarnwick", files(later("resellers-eur", "2026-10-06", "resellers")))
    assert in_force(world, RUBEN, "bluefern", "retail")[1:] == [(date(2026, 10, 7), False)]
    assert ruben.unpublished_changes.list("bluefern") == []


def test_a_draft_has_the_tax_of_the_sellers_day(world: World) -> None:
    world.mara.tax_rates.set("tarnwick", country="IE", percent=Decimal(25), starts_on=date(2026, 10, 6), category="S")
    at(world, 5, 23)
    [draft] = [each for each in world.close("tarnwick", "finn", "2026-09", issue=False) if each.buyer == "quillstone"]
    issued = world.user("finn").invoices.issue(draft.id)
    assert draft.tax_percent == 25 and (draft.tax, draft.gross) == (issued.tax, issued.gross)


def test_an_order_begins_no_sooner_than_on_the_sellers_day(world: World) -> None:
    at(world, 5, 23)
    ines = world.user("ines")
    with pytest.raises(Invalid, match="order from 2026-10-06 on"):
        ines.orders.place(
            "saltmarsh",
            OrderCreate(kind=OrderKind.SUBSCRIBE, plan="open-range", tier="moor", name="Field", day=date(2026, 10, 5)),
        )
