"""Prices side by side for the one who earns between them, and prices that are about to change."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid, NotFound
from tests.world import World, files, rate_card


def test_a_reseller_sees_what_it_pays_beside_what_it_takes(world: World) -> None:
    found = world.user("piers").catalogue.margins("oxbow", "oxbow-gbp")
    assert (found.sells_by, found.buys_by, found.currency) == ("oxbow/oxbow-gbp", "tarnwick/resellers-gbp", "GBP")
    vcpu = next(each for each in found.rates if each.rate == "vcpu")
    assert (vcpu.buy, vcpu.sell, vcpu.margin) == (Decimal("0.014"), Decimal("0.019"), Decimal("0.005"))
    assert {each.percent for each in found.rates} == {Decimal("26.3")}, "0.7 of 0.95 everywhere"


def test_the_providers_cost_card_is_what_it_buys_by(world: World) -> None:
    found = world.mara.catalogue.margins("tarnwick", "tenants-eur")
    assert found.buys_by == "tarnwick/own-cost"
    assert {each.percent for each in found.rates} == {Decimal(60)}
    with pytest.raises(Invalid, match="buys nothing in GBP"):
        world.mara.catalogue.margins("tarnwick", "resellers-gbp")
    with pytest.raises(Invalid, match="two currencies have no margin"):
        world.mara.catalogue.margins("tarnwick", "resellers-gbp", against="tarnwick/own-cost")


def test_margins_are_for_members_of_the_seller(world: World) -> None:
    for user, seller, card in (
        ("mara", "oxbow", "oxbow-gbp"),
        ("ines", "oxbow", "oxbow-gbp"),
        ("edda", "tarnwick", "resellers-gbp"),
    ):
        with pytest.raises(NotFound):
            world.user(user).catalogue.margins(seller, card)
    with pytest.raises(NotFound):
        world.user("edda").catalogue.margins("oxbow", "oxbow-gbp", against="tarnwick/own-cost")


def test_a_buyer_is_told_of_its_new_prices_before_they_hold(world: World) -> None:
    assert world.user("piers").catalogue.price_changes() == []
    world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01")))
    (change,) = world.user("piers").catalogue.price_changes()
    assert (change.buyer, change.seller, change.rate_card, change.subscriptions) == (
        "oxbow",
        "tarnwick",
        "resellers-gbp",
        1,
    )
    assert ("rates[vcpu].price", "0.014", "0.016") in {(d.path, d.before, d.after) for d in change.differences}
    assert world.user("ines").catalogue.price_changes() == []
    assert world.user("una").catalogue.price_changes() == []


def test_a_follower_gives_its_buyers_notice(world: World) -> None:
    derived = """
rate-card: follow
name: Follows
for: named
currency: EUR
starts-on: 2026-01-01
rates: []
derived: {base: tarnwick/tenants-eur, on-top: {percent: 10}, notice-days: 60}
"""
    world.mara.catalogue.publish("tarnwick", files(derived))
    world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-11-01")))
    versions = world.mara.catalogue.rate_card("tarnwick", "follow").versions
    assert [each.starts_on.isoformat() for each in versions] == ["2026-01-01", "2026-12-04"]
