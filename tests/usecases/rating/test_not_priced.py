"""What was used and is charged to nobody is listed: for its owner, for the seller, and for nobody else."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.core.errors import NotFound
from tests.world import GIB, World, egress, files, reading

VAULT = """
service: vault
name: Vault
category: Other
subcategory: Other
meters:
  kept: {name: Kept, unit: byte, combine: sum}
---
plan: vaults
name: Vaults
services: [vault]
tiers: [{tier: one, name: One}]
"""
Listed = set[tuple[str, str, str, str, int]]


def not_priced(world: World, user: str, organisation: str) -> Listed:
    """Seller, buyer, what, whose and how much of it is not priced."""
    return {
        (link.seller, link.buyer, each.meter, each.organisation, int(each.quantity))
        for link in world.user(user).spend.period_so_far(organisation, "2026-09", wait=60).links
        for each in link.not_priced
    }


def test_usage_without_any_subscription_is_listed_on_every_link(world: World) -> None:
    world.send(reading("a", owner="thistledown/records"))
    of_records = ("compute/vcpu", "thistledown/records", 86400)

    assert not_priced(world, "wynn", "thistledown") == {("oxbow", "thistledown", *of_records)}
    both = {("oxbow", "thistledown", *of_records), ("tarnwick", "oxbow", *of_records)}
    assert not_priced(world, "edda", "oxbow") == both
    assert not_priced(world, "edda", "thistledown") == both
    assert not_priced(world, "finn", "tarnwick") == {("tarnwick", "oxbow", *of_records)}
    assert not_priced(world, "ines", "saltmarsh") == set()
    assert not_priced(world, "una", "quillstone") == set()
    with pytest.raises(NotFound):
        not_priced(world, "ines", "thistledown")


def test_the_link_is_there_with_nothing_charged_in_the_buyers_currency(world: World) -> None:
    world.send(reading("a", owner="thistledown/records"))
    [link] = world.user("wynn").spend.period_so_far("thistledown", "2026-09", wait=60).links

    assert (link.currency, link.net, link.lines) == ("GBP", Decimal(0), [])
    assert link.not_priced[0].reason == "no subscription"
    assert [each.buyer for each in world.close("oxbow", "piers", "2026-09")] == ["saltmarsh"]


def test_usage_after_a_subscription_ended_is_listed(world: World) -> None:
    subscription = world.mara.subscriptions.list("quillstone")[0]
    world.mara.subscriptions.end(subscription.id, date(2026, 9, 1))
    world.send(egress("a", 3 * GIB, owner="quillstone/archive"))

    of_archive = ("network/egress", "quillstone/archive", 3 * GIB)
    assert not_priced(world, "una", "quillstone") == {("tarnwick", "quillstone", *of_archive)}
    assert not_priced(world, "finn", "tarnwick") == {("tarnwick", "quillstone", *of_archive)}


def test_a_resellers_own_use_is_listed_with_whoever_owns_the_service(world: World) -> None:
    """Its supplier's services on the link above, its own services as its own use, which the supplier does not see."""
    edda = world.user("edda")
    edda.projects.create("oxbow", slug="inside", name="Inside")
    edda.catalogue.publish("oxbow", files(VAULT))
    edda.feeds.create("oxbow", slug="vaults", name="Vaults")
    world.send(egress("a", GIB, owner="oxbow/inside"))
    kept = reading("b", owner="oxbow/inside", meter="vault/kept", quantity="7", unit="byte", attributes={})
    assert edda.readings.send("oxbow/vaults", [kept]).refused == 0
    world.settle()

    above = ("tarnwick", "oxbow", "network/egress", "oxbow/inside", GIB)
    own = ("oxbow", "oxbow", "vault/kept", "oxbow/inside", 7)
    assert not_priced(world, "edda", "oxbow") == {above, own}
    assert not_priced(world, "finn", "tarnwick") == {above}
