"""How much of a resource is used hour by hour: means of levels, what flowed, only of those whom one sees."""

from collections.abc import Mapping
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Invalid, NotFound
from gradumen.core.metering.packed_days import pack, sums_by_hour, unpack
from gradumen.core.metering.usage import Sample, combine_days
from tests.world import World, egress, moment, reading

FIRST, UNTIL = date(2026, 9, 10), date(2026, 9, 12)


def loads(world: World, organisation: str = "tarnwick", user: str = "mara") -> Mapping[str, Mapping[datetime, Decimal]]:
    found = world.user(user).loads.list(organisation, "vm-1", first=FIRST, until=UNTIL, wait=60)
    return {each.meter: {point.at: point.quantity for point in each.points} for each in found.items}


def test_levels_are_means_of_hours_and_amounts_what_flowed(world: World) -> None:
    world.send(
        reading("a", start="2026-09-10T22:30:00Z", end="2026-09-11T01:00:00Z"),
        reading("b", quantity="1", start="2026-09-11T00:15:00Z", end="2026-09-11T00:30:00Z", attributes={"size": "large"}),
        egress("c", 90, start="2026-09-10T23:30:00Z", end="2026-09-11T01:00:00Z"),
        reading("before", start="2026-09-09T23:00:00Z", end="2026-09-10T00:00:00Z"),
        reading("other", resource="vm-2"),
    )  # fmt: skip
    hours = [moment(f"2026-09-{at}") for at in ("10 22:00", "10 23:00", "11 00:00")]
    assert loads(world) == {
        "compute/vcpu": dict(zip(hours, (Decimal(2), Decimal(4), Decimal("4.25")), strict=True)),
        "network/egress": {hours[1]: Decimal(30), hours[2]: Decimal(60)},
    }
    found = world.mara.loads.list("tarnwick", "vm-1", first=FIRST, until=UNTIL)
    vcpu, sent = found.items
    assert (vcpu.unit, vcpu.is_level, vcpu.highest, vcpu.mean) == ("vCPU", True, Decimal("4.25"), Decimal("3.416667"))
    assert (sent.unit, sent.is_level, sent.highest, sent.mean) == ("byte", False, Decimal(60), Decimal(45))
    assert not found.waiting and not vcpu.watched


def test_one_sees_what_one_uses_and_nothing_of_others(world: World) -> None:
    span = {"start": "2026-09-10T05:00:00Z", "end": "2026-09-10T06:00:00Z"}
    world.send(reading("s", **span), reading("q", owner="quillstone/archive", quantity="3", **span))
    assert [*loads(world)["compute/vcpu"].values()] == [7]
    assert [*loads(world, "quillstone", "una")["compute/vcpu"].values()] == [3]
    with pytest.raises(NotFound):
        loads(world, "saltmarsh", "una")
    assert world.mara.loads.list("tarnwick", "nothing", first=FIRST, until=UNTIL).items == []
    for until in (FIRST, date(2026, 12, 12)):
        with pytest.raises(Invalid, match="1 to 92 days") as refused:
            world.mara.loads.list("tarnwick", "vm-1", first=FIRST, until=until)
        assert refused.value.facts["field"] == "until"


@given(st.lists(st.tuples(st.integers(0, 200_000), st.integers(1, 90_000), st.integers(0, 10**9)), max_size=8),
       st.sampled_from([Combine.SUM, Combine.LEVEL]))  # fmt: skip
def test_hours_add_up_to_what_was_read(read: list[tuple[int, int, int]], combine: Combine) -> None:
    samples = [Sample(1, 1, number % 3, start, start + wide, of) for number, (start, wide, of) in enumerate(read)]
    days = combine_days(samples, combine)
    packed = [(day, *pack(usage.slots)) for (_, _, day, _), usage in days.items()]
    numbers, hours, slots = zip(*packed, strict=True) if packed else ((), (), ())
    found = {hour: quantity for _, hour, quantity in sums_by_hour(unpack(numbers, hours, slots), [0] * len(packed))}
    for hour, quantity in found.items():
        inside = [max(0, min(each.end, hour * 3600 + 3600) - max(each.start, hour * 3600)) for each in samples]
        if combine is Combine.LEVEL:
            assert quantity == sum(each.quantity * wide for each, wide in zip(samples, inside, strict=True))
        else:
            exact = sum(Fraction(each.quantity * wide, each.end - each.start)
                        for each, wide in zip(samples, inside, strict=True))  # fmt: skip
            assert abs(quantity - exact) < len(samples)
    whole = [each.quantity * (each.end - each.start if combine is Combine.LEVEL else 1) for each in samples]
    assert sum(found.values()) == sum(whole)
