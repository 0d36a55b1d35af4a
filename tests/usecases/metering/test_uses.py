"""What is in use of what quotas limit: the newest whole hour, of the meters that count it, as far as one sees it."""

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from gradumen.core.errors import CatalogueInvalid, NotFound
from gradumen.usecases.subscriptions.moves_due import complete_moves
from tests.conftest import Service
from tests.world import GIB, RUBEN, SERVICES, World, add_bluefern, egress, files, moment, reading

TIED = SERVICES.split("---")[0].replace("combine: level", "combine: level, measure: processors")


def test_the_newest_whole_hour_of_all_below(world: World) -> None:
    assert not any(each.quantity for each in world.mara.uses.list("tarnwick") if each.kind != "count")
    world.mara.catalogue.publish("tarnwick", files(TIED))
    world.mara.clock.set(moment("2026-10-05 12:30"), held=True)
    hour = {"start": "2026-10-05T10:00:00Z", "end": "2026-10-05T11:00:00Z"}
    late = {"start": "2026-10-05T11:00:00Z", "end": "2026-10-05T11:30:00Z"}
    under_way = {"start": "2026-10-05T12:00:00Z", "end": "2026-10-05T12:20:00Z"}
    world.send(
        reading("a", quantity="4", **hour),
        reading("b", quantity="8", **late),
        reading("c", quantity="2", resource="other", owner="quillstone/archive", **late),
        reading("d", quantity="100", **under_way),
    )
    processors, _, storage, *_ = world.mara.uses.list("tarnwick")
    assert processors.quantity == Decimal(5), "half an hour of 8 and 2 each"
    assert (processors.unit, processors.hour) == ("vCPU", moment("2026-10-05 11:00"))
    assert (storage.measure, storage.quantity, storage.hour) == ("storage", None, None)
    assert world.user("edda").uses.list("oxbow")[0].quantity == Decimal(4)
    assert world.user("una").uses.list("quillstone")[0].quantity == Decimal(1)
    with pytest.raises(NotFound):
        world.user("una").uses.list("oxbow")


def test_in_the_first_hour_of_a_day_the_last_of_the_day_before_counts(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(TIED))
    world.mara.clock.set(moment("2026-10-06 00:30"), held=True)
    world.send(
        reading("whole", quantity="4", start="2026-10-05T22:00:00Z", end="2026-10-05T23:00:00Z"),
        reading("under way", quantity="100", start="2026-10-06T00:00:00Z", end="2026-10-06T00:20:00Z"),
    )
    processors = world.mara.uses.list("tarnwick")[0]
    assert (processors.quantity, processors.hour) == (Decimal(4), moment("2026-10-05 22:00"))


def test_what_flows_is_added_up_in_its_time_and_what_is_counted_is_there(world: World) -> None:
    flows = SERVICES.split("---")[1].replace("combine: sum}", "combine: sum, measure: egress}")
    world.mara.catalogue.publish("tarnwick", files(flows))
    world.mara.clock.set(moment("2026-10-05 12:30"), held=True)
    for day, amount in (("2026-09-30", 64), ("2026-10-01", 3), ("2026-10-05", 2)):
        at = {"start": f"{day}T10:00:00Z", "end": f"{day}T11:00:00Z"}
        world.send(egress(day, amount * GIB, **at))
    uses = {each.measure: each for each in world.user("edda").uses.list("oxbow")}
    assert (uses["egress"].quantity, uses["egress"].unit, uses["egress"].kind) == (Decimal(5), "GiB", "monthly")
    assert uses["ingest"].quantity is None, "no meter counts it"
    assert [uses[each].quantity for each in ("users", "projects", "organisations")] == [2, 0, 2]


def test_what_was_used_under_another_seller_is_that_ones(world: World, service: Service) -> None:
    """Saltmarsh moves on the 15th: the new seller sees its use since, the old one that until then."""
    add_bluefern(world)
    world.mara.catalogue.publish(
        "tarnwick", files(TIED, SERVICES.split("---")[1].replace("combine: sum}", "combine: sum, measure: egress}"))
    )
    world.mara.moves.plan("saltmarsh", "bluefern", date(2026, 10, 15), "It moves house.")
    world.mara.clock.set(moment("2026-10-15 09:30"), held=True)
    with service.worker.gate:
        complete_moves(service.uow, at=datetime.now(UTC))
    for day, amount in (("2026-10-03", 3), ("2026-10-15", 4)):
        world.send(egress(day, amount * GIB, start=f"{day}T01:00:00Z", end=f"{day}T02:00:00Z"))
    world.send(reading("before", start="2026-10-14T20:00:00Z", end="2026-10-14T21:00:00Z"))

    def used(user: str, organisation: str) -> tuple[Decimal | None, Decimal | None]:
        found = {each.measure: each.quantity for each in world.user(user).uses.list(organisation)}
        return found["egress"], found["processors"]

    assert used(RUBEN, "bluefern") == used(RUBEN, "saltmarsh") == (Decimal(4), None)
    assert used("edda", "oxbow") == (Decimal(3), Decimal(4)), "its newest whole hour was before"
    assert used("ines", "saltmarsh") == (Decimal(7), Decimal(4))
    days = world.user(RUBEN).uses.days("saltmarsh", "egress", first=date(2026, 10, 1))
    assert [(each.day.day, each.quantity) for each in days] == [(14, 0), (15, 4)], (
        "midnight in Dublin is the 14th in UTC"
    )


def test_only_a_level_in_its_unit_counts_a_measure(world: World) -> None:
    for wrong in (
        TIED.replace("measure: processors", "measure: storage"),
        TIED.replace("counted: vCPU, combine: level", "counted: vCPU, combine: sum").replace("vCPU-second", "vCPU"),
        TIED.replace("measure: processors", "measure: attics"),
        TIED.replace("measure: processors", "measure: users"),
        TIED.replace("measure: processors", "measure: machines"),
        SERVICES.split("---")[1].replace("combine: sum}", "combine: sum, measure: storage}"),
    ):
        with pytest.raises(CatalogueInvalid):
            world.mara.catalogue.publish("tarnwick", files(wrong))
