"""Metrics say how much waits, and for how long."""

from datetime import UTC, datetime, timedelta

from sqlalchemy import text

from tests.conftest import Service, settle
from tests.world import World, egress


def read(world: World) -> dict[str, float]:
    answer = world.user("oda").connection.http.get("metrics")
    assert answer.headers["content-type"].startswith("text/plain; version=0.0.4")
    rows = [line.split() for line in answer.text.splitlines() if not line.startswith("#")]
    assert len({name for name, _ in rows}) == len(rows)
    return {name.removeprefix("gradumen_"): float(value) for name, value in rows}


def test_what_waits_is_counted_and_has_an_age(world: World, service: Service) -> None:
    world.settle()
    settle(service.uow.engine)
    assert {value for name, value in read(world).items() if not name.startswith("tasks")} == {0.0}
    with service.worker.gate:
        hour_ago = datetime.now(UTC) - timedelta(hours=1)
        world.mara.readings.send("tarnwick/north-fell", [egress("late", 5)])
        with service.uow.engine.begin() as connection:
            connection.execute(text("UPDATE stale_usage SET marked_at = :at"), {"at": hour_ago})
            stale = text("UPDATE pairs SET stale_since = :at, problem = 'odd' WHERE period = '2026-09' LIMIT 2")
            connection.execute(stale, {"at": hour_ago})
        found = read(world)
        assert found["usage_oldest_mark_seconds"] >= 3600
        assert (found["pairs_stale"], found["pairs_refused"]) == (2, 2)
        assert 3600 <= found["pairs_oldest_stale_seconds"] < 3700
