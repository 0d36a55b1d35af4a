"""Who answers for a project and who works in it: members alone, told what concerns it, their organisation's own."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from tests.conftest import Service
from tests.usecases.metering.test_breaches import limited, look, told, vcpu  # noqa: F401  # a fixture
from tests.world import EMAILS, World


def test_they_are_members_and_nobody_elses_business(world: World) -> None:
    people = world.user("ines").project_people
    assert people.get("saltmarsh", "booking").owner is None
    set = people.set("saltmarsh", "booking", owner=EMAILS["ines"], members=[f" {EMAILS['vera'].upper()}"])
    assert (set.owner, set.members) == (EMAILS["ines"], [EMAILS["vera"]])
    assert world.user("vera").project_people.get("saltmarsh", "booking") == set
    with pytest.raises(Invalid, match="no member of Saltmarsh Ferries"):
        people.set("saltmarsh", "booking", owner=EMAILS["edda"])
    for user in ("edda", "mara"):
        with pytest.raises(Forbidden):
            world.user(user).project_people.get("saltmarsh", "booking")
    with pytest.raises(Forbidden):
        world.user("vera").project_people.set("saltmarsh", "booking", owner=None)
    with pytest.raises(NotFound):
        people.get("saltmarsh", "attic")
    world.user("ines").members.change(
        "saltmarsh",
        next(each.user_id for each in world.user("ines").members.list("saltmarsh") if each.email == EMAILS["vera"]),
        disabled=True,
    )
    assert people.get("saltmarsh", "booking").members == [], "who is at rest is told nothing"


@pytest.mark.usefixtures("limited")
def test_they_are_told_what_concerns_the_project(world: World, service: Service) -> None:
    ines = world.user("ines")
    ines.project_people.set("saltmarsh", "booking", owner=EMAILS["vera"])
    ines.quotas.grant("saltmarsh", "processors", Decimal(2), project="booking")
    world.send(vcpu("a", 3))
    look(world, service)
    assert told(world, "vera") == told(world, "ines") == ["Booking of Saltmarsh Ferries is above its limit"]
