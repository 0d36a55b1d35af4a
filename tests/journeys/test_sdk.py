"""Events made with the official CloudEvents Python SDK, in all three modes of the HTTP binding."""

from cloudevents.core.bindings.http import to_binary_event, to_structured_event
from cloudevents.core.v1.event import CloudEvent

from tests.world import World, egress

FEED = "tarnwick/north-fell"
BATCH = "application/cloudevents-batch+json"


def event(identity: str, quantity: int = 1000) -> CloudEvent:
    made = egress(identity, quantity, resource="bücket \u2603")
    attributes = {name: made[name] for name in ("specversion", "type", "source", "id", "datacontenttype")}
    return CloudEvent(attributes=attributes, data=made["data"])


def batch(count: int) -> bytes:
    return b"[" + b",".join(to_structured_event(event(f"r{n}")).body for n in range(count)) + b"]"


def test_a_batch_is_accepted_and_known_when_it_is_sent_again(world: World) -> None:
    first = world.mara.readings.send_bytes(FEED, batch(50), BATCH)
    before = world.mara.spend.period_so_far("saltmarsh", "2026-09", wait=60)
    again = world.mara.readings.send_bytes(FEED, batch(50), BATCH)

    assert (first.accepted, first.known, first.refused) == (50, 0, 0)
    assert (again.accepted, again.known, again.refused) == (0, 50, 0)
    assert world.mara.spend.period_so_far("saltmarsh", "2026-09", wait=60).links == before.links
    assert [each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", wait=60).items] == [50_000]


def test_the_three_modes_mean_the_same_event(world: World) -> None:
    outcomes = []
    for message in (to_structured_event(event("a")), to_binary_event(event("a"))):
        headers = {name.lower(): value for name, value in message.headers.items()}
        outcomes.append(
            world.mara.readings.send_bytes(FEED, message.body, headers.pop("content-type"), headers).outcomes[0].status
        )
    outcomes.append(
        world.mara.readings.send_bytes(FEED, b"[" + to_structured_event(event("a")).body + b"]", BATCH)
        .outcomes[0]
        .status
    )
    assert outcomes == ["accepted", "known", "known"]
