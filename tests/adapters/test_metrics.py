"""Usage out of a real metrics server: what it measured becomes usage and the period so far, to the last digit."""

from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest

from gradumen.adapters.door import Door
from gradumen.adapters.prometheus import Prometheus
from gradumen.core.errors import Conflict
from gradumen.core.metering.pulls import How
from gradumen.wire.metering.pulls import PullForm, PullQueryForm
from tests.adapters.metrics import metrics_server
from tests.usecases.metering.test_pulls import FEED, hold, until, used
from tests.world import World

FIRST = datetime(2026, 10, 4, 18, tzinfo=UTC)
END = FIRST + timedelta(hours=5)
MINUTE = timedelta(minutes=1)


def sent(minute: int) -> str | None:
    """A counter: 1.5 KiB a minute, anew from zero at 130, not seen from 200 to 230, with a fraction at the end."""
    if 200 <= minute < 230:
        return None
    return str(Decimal(1536) * (minute - 130 if minute >= 130 else minute + 10) + Decimal("0.1"))


def level(minute: int) -> str | None:
    """Processors: 2, then 8 from 90 on, gone from 150 on."""
    return None if minute >= 150 else "8" if minute >= 90 else "2"


def history() -> str:
    lines = ["# TYPE sent_bytes counter", "# TYPE vcpus gauge"]
    for name, labels, value in (
        ("sent_bytes_total", 'machine="web-1",project="saltmarsh/booking"', sent),
        ("vcpus", 'machine="web-1",project="saltmarsh/booking",size="small"', level),
    ):
        # Two minutes before the first hour to count from, and one after the last.
        for minute in range(-2, 302):
            at = int((FIRST + MINUTE * minute).timestamp())
            if (seen := value(minute)) is not None:
                lines.append(f"{name}{{{labels}}} {seen} {at}")
    lines.sort(key=lambda each: (not each.startswith("#"), each.split(" ")[0].split("{")[0]))
    return "\n".join([*lines, "# EOF"]) + "\n"


def asked(query: str) -> PullQueryForm:
    return PullQueryForm(
        name="x", query=query, meter="compute/vcpu", unit="vCPU", how=How.LEVEL, resource=["machine"], owner="project"
    )


@pytest.fixture(scope="module")
def url(tmp_path_factory: pytest.TempPathFactory, metrics_port: int) -> Iterator[str]:
    with metrics_server(tmp_path_factory.mktemp("metrics"), history(), metrics_port) as found:
        yield found


def test_what_it_answers_is_read_and_what_it_refuses_told(url: str) -> None:
    with closing(Prometheus(Door([url]), url, None, "")) as source:
        assert source.look().startswith("it answers, version 2.")
        [(labels, samples)] = source.over(asked("vcpus"), FIRST, FIRST + MINUTE * 2, 60)
        assert labels["machine"] == "web-1" and [value for _, value in samples] == ["2", "2", "2"]
        assert [at for at, _ in samples] == [FIRST, FIRST + MINUTE, FIRST + MINUTE * 2]
        with pytest.raises(Conflict, match=r"it refused: .*parse error"):
            source.over(asked("sum("), FIRST, END, 60)
        with pytest.raises(Conflict, match="exceeded maximum resolution"):
            source.over(asked("vcpus"), FIRST - timedelta(days=30), END, 15)
    elsewhere = Prometheus(Door([url]), f"{url}/elsewhere", None, "")
    with closing(elsewhere), pytest.raises(Conflict, match="answered 404"):
        elsewhere.look()


def test_measured_values_become_usage_and_the_period_so_far(world: World, url: str) -> None:
    hold(world, END + timedelta(minutes=15))
    queries = [
        PullQueryForm(
            name="sent", query="sum by (machine, project) (sent_bytes_total)", meter="network/egress", unit="byte",
            how=How.COUNTER, resource=["machine"], owner="project",
        ),
        PullQueryForm(
            name="busy", query="vcpus", meter="compute/vcpu", unit="vCPU", how=How.LEVEL, resource=["machine"],
            owner="project", attributes={"size": "size"},
        ),
    ]  # fmt: skip
    form = PullForm(endpoint=url, queries=queries, starts_at=FIRST)
    tried = world.mara.pulls.attempt(FEED, form)
    assert tried.reached and tried.refused == 0 and tried.count >= 1
    world.mara.pulls.set(FEED, form, version=0)
    assert until(world, END).problem is None
    # By hand: 1536 a minute from 18:00 to 23:00 but for the minute in which it began anew, whose first value counts.
    assert used(world, "network/egress") == 299 * 1536 + Decimal("0.1")
    # The server shows the last sample of a gauge for five minutes more; so it does when anybody looks at it.
    assert used(world, "compute/vcpu") == 90 * 60 * 2 + (60 + 5) * 60 * 8
    period = world.user("ines").spend.period_so_far("saltmarsh", "2026-10", wait=60)
    lines = {each.rate for link in period.links for each in link.lines}
    assert "egress" in lines
