"""What comes in by feeds: late, less or more than usual, how far behind; for its members."""

from datetime import UTC, datetime, timedelta

import pytest

from gradumen.core.errors import NotFound
from gradumen.core.metering.feed_arrivals import Pace, arrived
from gradumen.store.unit_of_work import Engine
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody
from tests.usecases.metering.test_imported_costs import FEED as COSTS
from tests.usecases.metering.test_imported_costs import costs, row, send
from tests.world import World, egress, moment

__all__ = ["costs"]
FEED = "tarnwick/north-fell"


def of(world: World, feed: str = FEED) -> FeedArrivalBody:
    return next(each for each in world.mara.feed_arrivals.list("tarnwick") if each.feed == feed)


def spread(engine: Engine, hours: list[int]) -> None:
    """What came, as if it had come so many hours ago, one after the other."""
    at = datetime.now(UTC).replace(tzinfo=None) - timedelta(minutes=1)
    with engine.begin() as connection:
        found = connection.exec_driver_sql("SELECT id FROM deliveries ORDER BY id").scalars().all()
        for number, ago in zip(found, hours, strict=True):
            statement = "UPDATE deliveries SET received_at = %s WHERE id = %s"
            connection.exec_driver_sql(statement, (at - timedelta(hours=ago), number))


@pytest.mark.parametrize(
    ("hours", "pace"),
    [
        ({}, Pace.NOTHING),
        ({0: 5, 1: 5}, Pace.NEW),
        (dict.fromkeys(range(5, 300, 24), 600), Pace.USUAL),
        (dict.fromkeys(range(38, 330, 24), 600), Pace.LATE),
        (dict.fromkeys(range(37, 330, 24), 600), Pace.LESS),
        (dict.fromkeys(range(5, 300, 24), 600) | {5: 1300}, Pace.MORE),
        (dict.fromkeys(range(200, 1700, 168), 9), Pace.USUAL),
        (dict.fromkeys(range(1, 300), 0), Pace.USUAL),
    ],
)
def test_what_is_usual_is_known_from_two_weeks(hours: dict[int, int], pace: Pace) -> None:
    """What comes once a week lacks nothing on other days; hours in which nothing was to be told are no silence."""
    assert arrived(hours).pace is pace


def test_a_feed_that_falls_behind_is_told(world: World, engine: Engine) -> None:
    assert of(world).pace == "nothing yet" and of(world).here_until is None
    ids = iter(range(1000))
    for _ in range(5):
        world.mara.readings.send(
            FEED, [egress(f"r{next(ids)}", 1) for _ in range(4)] + [egress("x", 1, owner="no/body")]
        )
    spread(engine, [96, 72, 48, 24, 0])
    found = of(world)
    assert (found.pace, found.every_hours, found.items, found.usual_items, found.refused) == ("as usual", 24, 4, 4, 5)
    assert found.last_delivery is not None and found.here_until is not None
    behind = moment("2026-10-05 12:00") - found.here_until
    assert abs(timedelta(hours=found.hours_behind or 0) - behind) < timedelta(days=1)
    spread(engine, [136, 112, 88, 64, 40])
    assert of(world).pace == "late"
    told = [each for each in world.mara.to_dos.list("tarnwick") if each.kind == "feed" and each.subject == FEED]
    assert ["silent for 40 hours" in each.title for each in told] == [True]
    assert "every 24 hours" in told[0].detail
    with pytest.raises(NotFound):
        world.user("edda").feed_arrivals.list("tarnwick")


def test_less_than_usual_is_looked_at(world: World, engine: Engine) -> None:
    for number in range(6):
        count = 1 if number == 5 else 5
        world.mara.readings.send(FEED, [egress(f"{number}-{each}", 1) for each in range(count)])
    spread(engine, [120, 96, 72, 48, 24, 0])
    assert of(world).pace == "less than usual"
    told = [each for each in world.mara.to_dos.list("tarnwick") if "less than usual" in each.title]
    assert [(each.subject, each.weight) for each in told] == [(FEED, "look")]


def test_costs_are_here_until_their_last_day_is_over(costs: World) -> None:
    send(costs, row("10", 20))
    first = of(costs, COSTS)
    sent = send(costs, row("10", 20), row("10", 22), at="2026-09-24 06:00")
    found = of(costs, COSTS)
    assert (found.here_until, found.items) == (datetime(2026, 9, 23, tzinfo=UTC), 3)
    costs.mara.deliveries.take_back(sent.delivery_id)
    assert of(costs, COSTS).model_copy(update={"last_delivery": first.last_delivery}) == first
