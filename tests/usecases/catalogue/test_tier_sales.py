"""Withdrawing a tier is allowed while it is used; retiring it is refused with the list."""

from datetime import date

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound, NotOnSale, StillSubscribed
from gradumen.wire.rating.estimates import EstimateAsked
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.world import World


def subscribe(world: World, day: date) -> None:
    world.mara.subscriptions.create(
        SubscriptionCreate(organisation="quillstone", plan="open-range", tier="heath", name=f"{day}", starts_on=day)
    )


def test_a_withdrawn_tier_is_kept_by_who_has_it_and_sold_to_nobody_else(world: World) -> None:
    found = world.mara.catalogue.set_tier_sale("open-range", "heath", withdrawn_on=date(2026, 10, 1))
    assert found.subscriptions == 1
    subscribe(world, date(2026, 9, 30))
    with pytest.raises(NotOnSale, match="who has it keeps it"):
        subscribe(world, date(2026, 10, 1))
    quillstone = world.mara.subscriptions.list("quillstone")
    moor = next(each for each in quillstone if each.tier == "moor")
    with pytest.raises(NotOnSale):
        world.mara.subscriptions.change(moor.id, SubscriptionChange(starts_on=date(2026, 10, 2), tier="heath"))
    with pytest.raises(NotOnSale):
        world.mara.estimates.price(
            EstimateAsked(organisation="quillstone", plan="open-range", tier="heath", first_day=date(2026, 10, 1))
        )
    heath = next(each for each in quillstone if each.tier == "heath")
    again = SubscriptionChange(starts_on=date(2026, 10, 2), tier="heath", quantity=2)
    assert world.mara.subscriptions.change(heath.id, again).stretches[-1].quantity == 2
    plan = next(each for each in world.mara.catalogue.plans() if each.slug == "open-range")
    assert plan.withdrawn == {"heath": date(2026, 10, 1)}
    world.mara.catalogue.set_tier_sale("open-range", "heath", withdrawn_on=None)
    subscribe(world, date(2026, 10, 1))


def test_a_tier_that_somebody_has_is_not_retired(world: World) -> None:
    retire = {"withdrawn_on": date(2026, 9, 1), "retired_on": date(2026, 10, 1)}
    with pytest.raises(StillSubscribed, match="saltmarsh: Open Range") as refused:
        world.mara.catalogue.set_tier_sale("open-range", "heath", **retire)
    assert refused.value.facts["subscriptions"] == ["saltmarsh: Open Range"]
    (heath,) = world.mara.subscriptions.list("saltmarsh")
    edda = world.user("edda").subscriptions
    edda.change(heath.id, SubscriptionChange(starts_on=date(2026, 10, 2), tier="moor"))
    with pytest.raises(StillSubscribed):
        world.mara.catalogue.set_tier_sale("open-range", "heath", **retire)
    edda.change(heath.id, SubscriptionChange(starts_on=date(2026, 10, 1), tier="moor"))
    assert world.mara.catalogue.set_tier_sale("open-range", "heath", **retire).retired_on == date(2026, 10, 1)


def test_a_wrong_sale_says_what_to_do(world: World) -> None:
    with pytest.raises(Invalid, match="before it is retired"):
        world.mara.catalogue.set_tier_sale("open-range", "heath", withdrawn_on=None, retired_on=date(2026, 10, 1))
    with pytest.raises(Invalid, match="choose one of heath, moor"):
        world.mara.catalogue.set_tier_sale("open-range", "peak", withdrawn_on=None)
    with pytest.raises(NotFound):
        world.user("edda").catalogue.set_tier_sale("open-range", "heath", withdrawn_on=None)
    with pytest.raises(Forbidden):
        world.user("oda").catalogue.set_tier_sale("open-range", "heath", withdrawn_on=None)
