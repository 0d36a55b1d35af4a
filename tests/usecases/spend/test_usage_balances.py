"""What became of usage: nothing that was used is left out, on any link, whatever is charged of it."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Forbidden, NotFound
from gradumen.wire.spend.usage_balances import UsageBalanceBody
from tests.conftest import Service
from tests.usecases.rating.test_current_charges import used
from tests.world import GIB, World, egress, reading
from tests.worlds.balance import unbalanced

SEPTEMBER = "2026-09"


def balances(world: World, user: str, seller: str) -> dict[str, UsageBalanceBody]:
    world.settle()
    found = world.user(user).spend.balances(seller, SEPTEMBER, wait=60)
    assert not any(each.difference for each in found.items)
    return {each.meter: each for each in found.items}


def test_all_that_was_used_is_charged_covered_or_listed(world: World, service: Service) -> None:
    used(world)
    world.send(
        egress("nobody", 50 * GIB, owner=None),
        reading("unpriced", meter="compute/vcpu", owner="quillstone/archive", resource="vm-9"),
    )
    found = balances(world, "mara", "tarnwick")
    sent = found["network/egress"]
    in_gib = {name: getattr(sent, name) / GIB for name in ("used", "charged", "covered", "no_rate", "no_subscription")}
    # Of nobody, and of its own, nothing is sold; Thistledown has no subscription, Quillstone's tier covers 10 GiB.
    assert in_gib["used"] == 120 + 60 + 300 + 7
    assert in_gib["no_subscription"] == 7
    assert in_gib["charged"] + in_gib["covered"] + in_gib["no_subscription"] == in_gib["used"]
    assert found["compute/vcpu"].used == found["compute/vcpu"].charged > 0
    # A link below has its own customers' usage alone.
    below = balances(world, "edda", "oxbow")["network/egress"]
    assert below.used == (120 + 60 + 7) * GIB and below.charged + below.covered + below.no_subscription == below.used
    assert unbalanced(service.uow) == {}


def test_what_is_taken_back_is_gone_from_both_sides(world: World, service: Service) -> None:
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    before = balances(world, "mara", "tarnwick")["network/egress"]
    assert before.used == 30 * GIB and before.difference == 0
    [delivery, *_] = world.mara.feeds.deliveries("tarnwick/north-fell")
    world.mara.deliveries.take_back(delivery.id)
    after = balances(world, "mara", "tarnwick")
    assert "network/egress" not in after or after["network/egress"].used == Decimal(0)
    assert unbalanced(service.uow) == {}


def test_what_a_seller_charges_is_its_own(world: World) -> None:
    used(world)
    world.settle()
    with pytest.raises(Forbidden):
        world.mara.spend.balances("oxbow", SEPTEMBER)
    for user in ("una", "ines"):
        with pytest.raises(NotFound):
            world.user(user).spend.balances("tarnwick", SEPTEMBER)
    assert world.user("oda").spend.balances("tarnwick", SEPTEMBER).items
