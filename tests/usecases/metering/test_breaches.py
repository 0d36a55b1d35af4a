"""Use above a limit: who is told what, when it counts, when it is over, and that each side sees its own."""

from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import uuid4

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.usecases.metering.limit_watch import watch_limits
from gradumen.wire.quotas.quotas import SoftLimit
from tests.conftest import Service
from tests.usecases.metering.test_uses import TIED
from tests.world import GIB, SERVICES, World, egress, files, moment, reading


@pytest.fixture
def limited(world: World) -> World:
    """Meters that count, and limits of the chain down to a project."""
    world.mara.catalogue.publish(
        "tarnwick", files(TIED, SERVICES.split("---")[1].replace("combine: sum}", "combine: sum, measure: egress}"))
    )
    world.mara.clock.set(moment("2026-10-05 12:30"), held=True)
    world.mara.quotas.grant("tarnwick", "processors", Decimal(100))
    world.mara.quotas.grant("oxbow", "processors", Decimal(10), soft=SoftLimit(limit=Decimal(6), grace_days=3))
    world.user("edda").quotas.grant("saltmarsh", "processors", Decimal(7))
    return world


def vcpu(identity: str, quantity: int, day: str = "05", **more: Any) -> dict[str, Any]:
    start, end = (f"2026-10-{day}T{hour}:00:00Z" for hour in (10, 11))
    return reading(identity, quantity=str(quantity), start=start, end=end, **more)


def to(world: World, at: str) -> None:
    world.mara.clock.set(moment(at), held=True)


def look(world: World, service: Service) -> int:
    with service.worker.gate:
        return watch_limits(service.uow, at=datetime.now(UTC))


def seen(world: World, user: str, organisation: str, state: str = "open") -> dict[tuple[str, str | None], Any]:
    found = world.user(user).breaches.list(organisation, state=state)
    return {(each.organisation, each.project): each for each in found}


def told(world: World, user: str) -> list[str]:
    return [each.subject for each in world.user(user).messages.notices().items if each.kind == "over-limit"]


def test_each_side_is_told_of_its_own_limit_and_says_what_it_does(limited: World, service: Service) -> None:
    world = limited
    world.send(vcpu("a", 7), vcpu("b", 1, resource="other", owner="thistledown/records"))
    assert look(world, service) == 1
    assert look(world, service) == 0, "once"
    found = seen(world, "edda", "oxbow")["oxbow", None]
    assert (found.crossed, found.state, found.limit, found.used) == ("soft limit", "in grace", Decimal(6), Decimal(8))
    assert found.grace_until == moment("2026-10-08 12:30")
    assert seen(world, "mara", "tarnwick").keys() == seen(world, "mara", "oxbow").keys() == {("oxbow", None)}
    assert told(world, "edda") == told(world, "mara") == ["Oxbow Managed IT is above its soft limit"]
    assert told(world, "ines") == told(world, "finn") == []

    mine = world.user("edda").breaches.note(found.id, "We  move the renders.")
    assert (mine.note, mine.noted_by) == ("We move the renders.", "Edda")
    assert world.user("edda").breaches.note(found.id, "We move the renders.").noted_at == mine.noted_at
    assert seen(world, "mara", "tarnwick")["oxbow", None].note is None, "each side's note is its own"
    kinds = {user: [each.kind for each in world.user(user).to_dos.list(of)] for user, of in SIDES}
    assert "breach" not in kinds["edda"]
    assert "breach" in kinds["mara"]
    with pytest.raises(NotFound):
        world.user("una").breaches.note(found.id, "x")
    with pytest.raises(Forbidden):
        world.user("oda").breaches.note(found.id, "x")
    with pytest.raises(NotFound):
        world.user("edda").breaches.note(uuid4(), "x")
    with pytest.raises(NotFound):
        world.user("una").breaches.list("oxbow")


SIDES = (("edda", "oxbow"), ("mara", "tarnwick"))


def test_grace_ends_a_limit_is_worse_and_less_use_ends_it(limited: World, service: Service) -> None:
    world = limited
    world.send(vcpu("a", 7), vcpu("t", 1, resource="t", owner="thistledown/records"))
    assert look(world, service) == 1
    to(world, "2026-10-09 12:30")
    world.send(vcpu("b", 7, "09"), vcpu("u", 1, "09", resource="t", owner="thistledown/records"))
    assert look(world, service) == 1, "its grace is over"
    assert look(world, service) == 0
    assert seen(world, "edda", "oxbow")["oxbow", None].state == "open"
    to(world, "2026-10-10 12:30")
    world.send(vcpu("c", 12, "10"))
    assert look(world, service) == 2, "now of Oxbow's limit, and of Saltmarsh's"
    found = seen(world, "edda", "oxbow")
    assert {key: (each.crossed, each.used) for key, each in found.items()} == {
        ("oxbow", None): ("limit", Decimal(12)),
        ("saltmarsh", None): ("limit", Decimal(12)),
    }
    assert seen(world, "mara", "tarnwick").keys() == {("oxbow", None)}, "what Oxbow gives is between those two"
    with pytest.raises(Forbidden):
        seen(world, "mara", "saltmarsh")
    assert seen(world, "ines", "saltmarsh").keys() == {("saltmarsh", None)}
    to(world, "2026-10-11 12:30")
    world.send(vcpu("d", 2, "11"))
    look(world, service)
    assert seen(world, "edda", "oxbow") == {}
    over = seen(world, "edda", "oxbow", "all")["oxbow", None]
    assert (over.state, over.used, over.most) == ("over", Decimal(2), Decimal(12))
    assert over.closed_at == moment("2026-10-11 12:30")


def test_a_raised_limit_and_one_that_is_gone_end_it(limited: World, service: Service) -> None:
    world = limited
    world.send(vcpu("a", 8))
    look(world, service)
    assert len(seen(world, "edda", "oxbow")) == 2
    world.mara.quotas.grant("oxbow", "processors", Decimal(10), soft=SoftLimit(limit=None))
    world.user("edda").quotas.grant("saltmarsh", "processors", Decimal(8))
    look(world, service)
    assert seen(world, "edda", "oxbow") == {}, "as much as the limit is allowed"


def test_flows_projects_and_what_the_giver_does_not_sell(limited: World, service: Service) -> None:
    world = limited
    world.user("edda").catalogue.publish(
        "oxbow", files(TIED.replace("compute", "racks").replace("Compute", "Racks", 1))
    )
    world.user("edda").feeds.create("oxbow", slug="vaults", name="Vaults")
    own = vcpu("own", 90, meter="racks/vcpu", resource="rack")
    outcome = world.user("edda").readings.send("oxbow/vaults", [own])
    assert outcome.refused == 0, outcome
    world.user("ines").quotas.grant("saltmarsh", "processors", Decimal(1), project="booking")
    for measure, limit in (("tarnwick", 100), ("quillstone", 5)):
        world.mara.quotas.grant(measure, "egress", Decimal(limit))
    for day, amount in (("2026-09-30", 64), ("2026-10-01", 3), ("2026-10-05", 4)):
        at = {"start": f"{day}T10:00:00Z", "end": f"{day}T11:00:00Z"}
        world.send(egress(day, amount * GIB, owner="quillstone/archive", **at))
    look(world, service)
    mine = seen(world, "ines", "saltmarsh")
    assert mine["saltmarsh", "booking"].used == Decimal(90)
    assert mine["saltmarsh", None].used == Decimal(90), "Oxbow gave it and sells racks"
    assert ("oxbow", None) not in seen(world, "edda", "oxbow"), "Tarnwick gave Oxbow's, and no racks are its"
    found = seen(world, "una", "quillstone")["quillstone", None]
    assert (found.measure, found.used, found.unit) == ("egress", Decimal(7), "GiB")
    to(world, "2026-11-01 00:30")
    look(world, service)
    assert seen(world, "una", "quillstone") == {}, "a new month"


def test_a_soft_limit_is_of_what_is_metered_and_not_above_the_limit(limited: World) -> None:
    grant = limited.mara.quotas.grant
    with pytest.raises(Invalid, match="never exceed"):
        grant("oxbow", "users", Decimal(9), soft=SoftLimit(limit=Decimal(3)))
    with pytest.raises(Invalid, match="above the limit"):
        grant("oxbow", "processors", Decimal(10), soft=SoftLimit(limit=Decimal(11)))
    limited.user("edda").quotas.grant("saltmarsh", "processors", Decimal(2))
    with pytest.raises(Invalid, match="lower it too"):
        grant("oxbow", "processors", Decimal(5))
    with pytest.raises(Invalid, match="grace lies between 0 and 366"):
        grant("oxbow", "processors", Decimal(10), soft=SoftLimit(limit=Decimal(3), grace_days=367))
    with pytest.raises(Invalid, match="negative"):
        grant("oxbow", "processors", Decimal(10), soft=SoftLimit(limit=Decimal(-3)))
    kept = grant("oxbow", "processors", Decimal(12))
    assert (kept.soft_limit, kept.grace_days) == (Decimal(6), 3), "what is left out stays"
    gone = grant("oxbow", "processors", Decimal(12), soft=SoftLimit(limit=None))
    assert (gone.soft_limit, gone.grace_days) == (None, None)


def test_use_over_time_stands_beside_the_limit_of_each_day(limited: World) -> None:
    world = limited
    world.send(vcpu("a", 12), vcpu("b", 24, "03"))
    for day, amount in (("2026-10-01", 3), ("2026-10-03", 4)):
        world.send(egress(day, amount * GIB, start=f"{day}T10:00:00Z", end=f"{day}T11:00:00Z"))
    world.mara.clock.set(moment("2026-10-06 12:30"), held=True)
    world.mara.quotas.grant("oxbow", "processors", Decimal(20))
    first, end = date(2026, 10, 2), date(2026, 10, 7)
    days = world.user("edda").uses.days("oxbow", "processors", first=first, end=end)
    assert [(each.day.day, each.quantity, each.limit) for each in days] == [
        (2, Decimal(0), None),
        (3, Decimal(1), None),
        (4, Decimal(0), None),
        (5, Decimal("0.5"), Decimal(10)),
    ], "of a stock the days that are over"
    flows = world.user("ines").uses.days("saltmarsh", "egress", first=first, end=end)
    assert [each.quantity for each in flows] == [3, 7, 7, 7, 7], "so far in the month"
    assert len(world.mara.uses.days("tarnwick", "processors")) == 29
    for wrong in ({"measure": "users"}, {"first": end, "end": first}, {"first": date(2020, 1, 1)}):
        with pytest.raises(Invalid):
            world.mara.uses.days("tarnwick", **{"measure": "processors", **wrong})
    with pytest.raises(NotFound):
        world.user("una").uses.days("oxbow", "processors")
