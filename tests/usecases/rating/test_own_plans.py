"""What a reseller gives free of charge is its own affair: who sells to it charges all that it did not give itself."""

from decimal import Decimal

import pytest

from gradumen.wire.subscriptions.subscriptions import SpecialTermsAgree, SubscriptionBody, SubscriptionCreate
from tests.world import GIB, World, egress, files, moment, rate_card

OWN = """
service: mending
name: Mending
category: Other
subcategory: Other (Other)
meters:
  worked: {name: Worked, unit: second, combine: sum}
---
plan: bundle
name: Bundle
services: [network, mending]
tiers:
  - tier: one
    name: One
    allowances: {network/egress: 100000 GiB}
---
offer: bundle
"""
LINKS = [("tarnwick", "oxbow"), ("oxbow", "saltmarsh")]


def subscribe(world: World, **more: str) -> SubscriptionBody:
    form = {"organisation": "saltmarsh", "project": "booking", "tier": "one", "name": "All in", "plan": "bundle"}
    return world.user("edda").subscriptions.create(
        SubscriptionCreate.model_validate({**form, "starts_on": "2026-09-01", **more})
    )


def charged(world: World) -> dict[tuple[str, str], Decimal]:
    """What a link's September comes to for traffic, and what a trial takes off."""
    links = [
        link
        for seller, user in (("tarnwick", "finn"), ("oxbow", "edda"))
        for link in world.user(user).spend.period_so_far(seller, "2026-09", wait=60).links
    ]
    return {
        (link.seller, link.buyer): sum(
            (line.amount for line in link.lines if line.subscription == "All in"), Decimal(0)
        )
        for link in links
        if (link.seller, link.buyer) in LINKS
    }


@pytest.fixture
def bundled(world: World) -> World:
    world.user("edda").catalogue.publish("oxbow", files(OWN))
    world.send(egress("s", 300 * GIB, owner="saltmarsh/booking"))
    return world


def test_an_allowance_of_its_own_plan_covers_what_it_sells_and_nothing_that_it_buys(bundled: World) -> None:
    made = subscribe(bundled)
    found = charged(bundled)
    assert found["oxbow", "saltmarsh"] == 0
    assert found["tarnwick", "oxbow"] > 0
    agreed = {"allowances": {"network/egress": "300 GiB"}}
    bundled.mara.subscriptions.agree(
        made.id, SpecialTermsAgree(seller="tarnwick", starts_on="2026-09-01", special_terms=agreed)
    )
    assert set(charged(bundled).values()) == {Decimal(0)}, "what its seller agrees to is the seller's"


def test_a_trial_of_its_own_plan_is_free_where_it_sells_and_charged_where_it_buys(bundled: World) -> None:
    bundled.user("edda").catalogue.publish("oxbow", files(OWN.partition("---")[2].replace("100000", "1")))
    subscribe(bundled, trial_until="2026-10-01")
    told = {
        user: [each.trial for one in bundled.user(user).subscriptions.list("saltmarsh") for each in one.stretches
               if one.name == "All in"]
        for user in ("edda", "mara")
    }  # fmt: skip
    assert told == {"edda": [True, False], "mara": [False]}, "as each sells it"
    found = charged(bundled)
    assert found["oxbow", "saltmarsh"] == 0
    assert found["tarnwick", "oxbow"] > 0


@pytest.mark.parametrize(
    ("trial", "until", "charged_days"),
    [("", "2026-11-16", 30), ("trial: {days: 10}\n", "2026-11-16", 20), ("trial: {days: 20}\n", "2026-11-16", 15)],
)
def test_who_sells_above_gives_no_longer_trial_than_its_plan(
    world: World, trial: str, until: str, charged_days: int
) -> None:
    """Its reseller may give any; the fee of a month of 30 days shows how long it is charged for."""
    plan = f"plan: tried\nname: Tried\nservices: [network]\n{trial}tiers: [{{tier: one, name: One}}]\n"
    world.mara.catalogue.publish("tarnwick", files(plan, "offer: tried\nto: all\n"))
    world.user("edda").catalogue.publish("oxbow", files("offer: tried\n"))
    for user, seller, slug, buyers in (
        ("mara", "tarnwick", "resellers-gbp", "resellers"),
        ("edda", "oxbow", "oxbow-gbp", "any"),
    ):
        fee = rate_card(slug, "GBP", buyers, "1", "2026-11-01").replace("open-range/moor", "tried/one")
        world.user(user).catalogue.publish(seller, files(fee))
    subscribe(world, plan="tried", name="Tried", starts_on="2026-11-01", trial_until=until)
    world.mara.clock.set(moment("2026-12-02"), held=True)
    found = {
        (link.seller, link.buyer): sum((line.amount for line in link.lines if line.subscription == "Tried"), Decimal(0))
        for seller, user in (("tarnwick", "finn"), ("oxbow", "edda"))
        for link in world.user(user).spend.period_so_far(seller, "2026-11", wait=60).links
    }
    told = {
        user: [(each.starts_on.day, each.trial) for one in world.user(user).subscriptions.list("saltmarsh")
               if one.name == "Tried" for each in one.stretches]
        for user in ("edda", "mara")
    }  # fmt: skip
    assert told["edda"] == [(1, True), (16, False)]
    assert told["mara"] == {30: [(1, False)], 20: [(1, True), (11, False)], 15: [(1, True), (16, False)]}[charged_days]
    assert found["oxbow", "saltmarsh"] == Decimal("39.50"), "79 a month, from the sixteenth on"
    assert found["tarnwick", "oxbow"] == (Decimal(79) * charged_days / 30).quantize(Decimal("0.01"))
