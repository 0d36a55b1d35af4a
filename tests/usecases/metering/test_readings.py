"""Readings: counted once, whatever the order, repetition and batches."""

import threading
from decimal import Decimal
from random import Random
from typing import Any

import pytest

from gradumen.client import Client
from gradumen.core.errors import Forbidden, NotFound, TooLarge
from tests.world import EMAILS, PASSWORD, World, egress, reading

FEED = "tarnwick/north-fell"


def usage(world: World) -> dict[tuple[str, str], str]:
    found = world.mara.usage.sum("tarnwick", "2026-09", wait=60, by=["day", "resource"])
    return {(f"{each.meter} {each.keys}", each.unit): f"{each.quantity:f}" for each in found.items}


def test_a_batch_sent_again_is_known_and_counts_once(world: World) -> None:
    batch = [reading(f"r{n}", resource=f"vm-{n % 3}") for n in range(20)]
    first, before = world.mara.readings.send(FEED, batch), usage(world)
    again = world.mara.readings.send(FEED, [*batch, *batch[:5]])

    assert (first.accepted, first.known, first.refused) == (20, 0, 0)
    assert (again.accepted, again.known, again.refused) == (0, 25, 0)
    assert usage(world) == before != {}


def test_one_broken_item_in_five_thousand_sinks_only_itself(world: World) -> None:
    batch = [reading(f"r{n}") for n in range(5000)]
    batch[777]["data"]["quantity"] = "-3"
    outcome = world.mara.readings.send(FEED, batch)

    assert (outcome.accepted, outcome.refused) == (4999, 1)
    broken = outcome.outcomes[777]
    assert (broken.status, broken.field) == ("refused", "quantity")
    assert "-3" in (broken.reason or "")
    with pytest.raises(TooLarge, match="5000"):
        world.mara.readings.send(FEED, [*batch, reading("one more")])


def test_the_same_id_with_other_content_is_refused_unless_it_replaces(world: World) -> None:
    world.send(egress("a", 100))
    other = world.mara.readings.send(FEED, [egress("a", 200)])
    assert other.refused == 1 and "sequence above 0" in (other.outcomes[0].reason or "")
    world.send(egress("a", 300, sequence=2))
    late = world.mara.readings.send(FEED, [egress("a", 250, sequence=1), egress("a", 300, sequence=2)])

    assert [each.status for each in late.outcomes] == ["known", "known"]
    assert [each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", wait=60).items] == [300]


def test_a_cancel_may_come_before_its_target(world: World) -> None:
    world.send(egress("a", 0, sequence=1))
    world.send(egress("a", 500))
    assert [each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", wait=60).items] == [0]


def test_a_replacement_moves_usage_to_its_new_hours(world: World) -> None:
    world.send(egress("a", 100))
    world.send(egress("a", 70, sequence=1, start="2026-09-12T10:00:00Z", end="2026-09-12T11:00:00Z"))
    found = world.mara.usage.sum("tarnwick", "2026-09", wait=60, by=["day"]).items
    assert {each.keys["day"]: each.quantity for each in found if each.quantity} == {"2026-09-12": 70}


def test_order_and_batches_make_no_difference(world: World) -> None:
    """Two owners get the same readings, one in order, the other shuffled, cut and repeated: exactly the same usage."""
    random = Random(5)
    batch = [
        {
            "identity": f"r{n}",
            "quantity": f"{n + sequence}.{n:06d}",
            "resource": f"vm-{n % 4}",
            "sequence": sequence,
            "start": f"2026-09-{1 + n + sequence:02d}T00:30:00Z",
            "end": f"2026-09-{1 + n + sequence:02d}T05:15:{sequence:02d}Z",
        }
        for n in range(25)
        for sequence in range(3)
    ]
    shuffled = [*batch, *random.sample(batch, 30)]
    random.shuffle(shuffled)
    world.send(*[_of(each, "saltmarsh/booking", "/in-order") for each in batch])
    while shuffled:
        size = random.randint(1, 9)
        world.send(*[_of(each, "thistledown/records", "/in-no-order") for each in shuffled[:size]])
        del shuffled[:size]
    found = world.mara.usage.sum("tarnwick", "2026-09", wait=60, by=["organisation", "resource", "day"]).items
    of_each = {
        owner: {
            (row.keys["resource"], row.keys["day"]): row.quantity for row in found if row.keys["organisation"] == owner
        }
        for owner in ("saltmarsh", "thistledown")
    }

    assert len(of_each["saltmarsh"]) > 20
    assert of_each["saltmarsh"] == of_each["thistledown"]
    whole = 17102 * sum(n + 2 + Decimal(n).scaleb(-6) for n in range(25))
    assert sum(of_each["saltmarsh"].values()) == whole


def _of(values: dict[str, Any], owner: str, source: str) -> dict[str, Any]:
    identity, *_ = values.values()
    event = reading(identity, owner=owner, **{name: each for name, each in values.items() if name != "identity"})
    return {**event, "source": source}


def test_the_same_batch_from_six_senders_at_once_counts_once(world: World) -> None:
    batch = [egress(f"r{n}", 10, resource=f"vm-{n}") for n in range(300)]
    clients = [Client(world.url) for _ in range(6)]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    gate = threading.Barrier(len(clients))
    accepted: list[int] = []

    def send(client: Client) -> None:
        gate.wait()
        outcome = client.readings.send(FEED, batch)
        assert outcome.refused == 0
        accepted.append(outcome.accepted)

    threads = [threading.Thread(target=send, args=(client,)) for client in clients]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    for client in clients:
        client.close()

    assert len(accepted) == 6
    assert sum(accepted) == 300
    assert [each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", wait=60).items] == [3000]


@pytest.mark.parametrize(
    ("field", "changes"),
    [
        ("unit", {"unit": "furlong"}),
        ("unit", {"unit": "GiB"}),
        ("quantity", {"quantity": "Infinity"}),
        ("end", {"end": "2026-10-05T00:00:01Z", "start": "2026-10-04T23:00:00Z"}),
        ("end", {"end": "2026-09-09T00:00:00Z"}),
        ("attributes.colour", {"attributes": {"colour": "green"}}),
        ("attributes.size", {"attributes": {"size": "huge"}}),
        ("owner", {"owner": "nobody/nothing"}),
        ("owner", {"owner": "saltmarsh"}),
        ("owner", {"owner": "über/booking"}),
        ("owner", {"owner": "saltmarsh/hafen-süd"}),
        ("resource", {"resource": None}),
    ],
)
def test_a_wrong_reading_is_refused_with_its_field(world: World, field: str, changes: dict[str, object]) -> None:
    outcome = world.mara.readings.send(FEED, [reading("x", **changes), reading("fine")])

    assert [each.status for each in outcome.outcomes] == ["refused", "accepted"]
    assert outcome.outcomes[0].field == field


def test_only_those_with_the_right_send_and_only_for_their_own(world: World) -> None:
    with pytest.raises(NotFound):
        world.user("ines").readings.send(FEED, [reading("x")])
    with pytest.raises(Forbidden):
        world.user("oda").readings.send(FEED, [reading("x")])
    world.mara.feeds.allow(FEED, EMAILS["oda"])
    assert world.user("oda").readings.send(FEED, [reading("x")]).accepted == 1
    edda = world.user("edda")
    edda.feeds.create("oxbow", slug="own", name="Oxbow's own")
    foreign = edda.readings.send("oxbow/own", [reading("x", owner="quillstone/archive"), reading("y")])
    assert [each.status for each in foreign.outcomes] == ["refused", "accepted"]


def test_a_reading_without_owner_waits_and_is_not_charged(world: World) -> None:
    outcome = world.mara.readings.send(FEED, [reading("x", owner=None, account="acct-9")])
    assert outcome.accepted == 1
    assert world.mara.usage.sum("tarnwick", "2026-09", wait=60).items == []


def test_text_in_every_field_stays_text(world: World) -> None:
    nasty = "'; DROP TABLE readings; -- <script>alert(1)</script> %s {x} \\"
    world.send(egress("q'\"--", 5, resource=nasty))
    made = world.mara.projects.create("saltmarsh", slug="nasty", name=nasty)
    assert made.name == nasty
    found = world.mara.usage.sum("tarnwick", "2026-09", wait=60, by=["resource"]).items
    assert [each.keys["resource"] for each in found] == [nasty]
    assert world.mara.organisations.list(search="'; DROP") == []
