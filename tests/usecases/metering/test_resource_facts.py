"""What is known of a resource: to its seller what its feeds sent, to others only what they see of its usage."""

from datetime import date

import pytest

from gradumen.core.errors import NotFound
from tests.usecases.metering.test_imported_costs import costs, own, row, send
from tests.world import World, egress

__all__ = ["costs"]


def told(world: World, user: str, organisation: str, resource: str = "vm-3") -> dict[str, str | None]:
    found = world.user(user).resource_facts.get(organisation, resource)
    return {f"{each.name}={each.value}": each.feed for each in found.facts}


def test_since_when_it_is_used_and_how_long_it_is_quiet(world: World) -> None:
    world.send(*(
        egress(f"a{day}", quantity, resource="box", start=f"2026-09-{day:02d}T05:00:00Z", end=f"2026-09-{day:02d}T06:00:00Z")
        for day, quantity in ((3, 1), (7, 2), (9, 0))
    ))  # fmt: skip
    world.settle()
    found = world.mara.resource_facts.get("tarnwick", "box")
    today = world.mara.clock.read().now.date()
    assert (found.first_used, found.last_used) == (date(2026, 9, 3), date(2026, 9, 7)), "nothing used is no use"
    assert found.quiet_days == (today - date(2026, 9, 7)).days
    assert world.user("vera").resource_facts.get("saltmarsh", "box").last_used == date(2026, 9, 7)
    nothing = world.mara.resource_facts.get("tarnwick", "nothing")
    assert (nothing.first_used, nothing.quiet_days, nothing.facts) == (None, None, [])
    assert world.user("una").resource_facts.get("quillstone", "box").last_used is None, "it is somebody else's"
    with pytest.raises(NotFound):
        world.user("una").resource_facts.get("saltmarsh", "box")


def test_tags_of_costs_say_who_made_it_to_the_seller(costs: World) -> None:
    send(costs, row("10", Tags='{"Created_By": "Vera Holm", "team": "night"}'))
    own(costs, "quillstone/archive", "acc-7")
    costs.settle()
    found = costs.mara.resource_facts.get("tarnwick", "vm-3")
    assert found.made_by == "Vera Holm"
    assert told(costs, "mara", "tarnwick")["tag:team=night"] == "Cumulant"
    assert told(costs, "una", "quillstone") == {}, "what its supplier's files say is the seller's own"
