"""Usage out of the real metric service of a cloud, by the token of its real identity service."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from uuid import UUID

import pytest

from gradumen.adapters.door import Door
from gradumen.adapters.openstack_metrics import OpenStackMetrics
from gradumen.core.errors import Conflict
from gradumen.core.metering.pulls import How, PullKind
from gradumen.run.database import PrivateDatabase
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.metering.pulls import PullForm, PullQueryForm
from tests.adapters.identity.measures import Cloud, metric_service
from tests.adapters.identity.service import Administrator, identity_service
from tests.conftest import Service
from tests.usecases.metering.test_pulls import FEED, hold, until, used
from tests.world import World

FIRST = datetime(2026, 10, 4, 18, tzinfo=UTC)
END = FIRST + timedelta(hours=3)
FIVE = timedelta(minutes=5)
ACCOUNT = "0f" * 16
WEB, STORE = (str(UUID(int=each)) for each in (7, 8))


def busy(step: int) -> float | None:
    """Processors: 2, then 4 from the second hour on; for half an hour of the third nothing was measured."""
    return None if 26 <= step < 32 else 2 if step < 12 else 4


def sent(step: int) -> float:
    """Bytes, ever more: 3072 in five minutes, with a half at the end; anew from zero at the thirtieth step."""
    return 3072.0 * (step - 30 if step >= 30 else step + 40) + 0.5


class Reached:
    """The cloud as it is asked: its identity service, what reads all of it, and what may not."""

    def __init__(self, identity: str, measures: str, administrator: Administrator) -> None:
        self.identity, self.measures = identity, measures
        self.secret = administrator.credential("meter", ["admin"])


@pytest.fixture(scope="module")
def cloud(
    tmp_path_factory: pytest.TempPathFactory, database: PrivateDatabase, openstack_ports: tuple[int, int, int]
) -> Iterator[Reached]:
    folder: Path = tmp_path_factory.mktemp("measures")
    with identity_service(tmp_path_factory.mktemp("identity"), openstack_ports[0]) as identity:
        administrator = Administrator(identity)
        with metric_service(folder, identity, database.administrator_url, openstack_ports[1]) as measures:
            administrator.register_service("metric", measures)
            written = Cloud(measures, administrator.http.headers["X-Auth-Token"])
            web = written.make(WEB, ACCOUNT, "small", ["vcpus", "sent"])
            store = written.make(STORE, "another", "large", ["vcpus"])
            steps = [(f"{FIRST - FIVE * 12 + FIVE * step:%Y-%m-%dT%H:%M:%S}", step - 12) for step in range(49)]
            found = [(at, busy(step)) for at, step in steps if 0 <= step < 36]
            written.measure(web["vcpus"], [(at, value) for at, value in found if value is not None])
            written.measure(web["sent"], [(at, sent(step)) for at, step in steps])
            written.measure(store["vcpus"], [(at, 8.0) for at, step in steps if 0 <= step < 36])
            written.settle()
            yield Reached(identity, measures, administrator)


BUSY = PullQueryForm(
    name="busy", query="machine vcpus mean", meter="compute/vcpu", unit="vCPU", how=How.LEVEL, resource=["id"],
    account="project_id", attributes={"size": "flavour"},
)  # fmt: skip
SENT = PullQueryForm(
    name="sent", query=f"machine sent max where project_id = '{ACCOUNT}'", meter="network/egress", unit="byte",
    how=How.COUNTER, resource=["id"], account="project_id",
)  # fmt: skip


def test_what_it_answers_is_read_and_what_it_refuses_told(cloud: Reached) -> None:
    door = Door([cloud.identity.removesuffix("/v3"), cloud.measures], seconds=20)
    source = OpenStackMetrics(door, cloud.identity, cloud.secret)
    assert source.look().startswith("an OpenStack metric service, with ")
    found = {labels["id"]: samples for labels, samples in source.over(BUSY, FIRST, FIRST + FIVE * 2, 300)}
    assert [at for at, _ in found[WEB]] == [FIRST, FIRST + FIVE, FIRST + FIVE * 2]
    assert {value for _, value in found[WEB]} == {"2.0"} and {value for _, value in found[STORE]} == {"8.0"}
    [(labels, samples)] = source.over(SENT, FIRST, FIRST + FIVE, 300)
    assert labels == {"id": WEB, "project_id": ACCOUNT}
    # What the step before the hour ended with stands for the hour's begin.
    assert samples == [(FIRST, str(sent(-1))), (FIRST + FIVE, str(sent(0)))]
    for query, said in (
        ("machine vcpus", "is written like"),
        ("nothing-such vcpus mean", "refused"),
        ("machine vcpus mean where flavour >", "refused"),
        ("machine vcpus median", "refused"),
    ):
        with pytest.raises(Conflict, match=said):
            source.over(BUSY.model_copy(update={"query": query}), FIRST, END, 300)
    with pytest.raises(Conflict, match="refused"):
        source.over(BUSY, FIRST, END, 60)
    source.close()
    wrong = OpenStackMetrics(door, cloud.identity, "nobody:secret")
    with pytest.raises(Conflict, match="no such application credential"):
        wrong.look()
    wrong.close()
    closed = OpenStackMetrics(Door([cloud.identity.removesuffix("/v3")]), cloud.identity, cloud.secret)
    with pytest.raises(Exception, match="not among what the operator lets be called"):
        closed.look()
    closed.close()


def test_measured_values_become_usage_and_the_period_so_far(
    world: World, service: Service, cloud: Reached, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(service.door, "seconds", 20.0)
    hold(world, END + timedelta(minutes=15))
    mara = world.mara
    rule = OwnershipRuleForm(
        name="Their cloud", owner="saltmarsh/booking", starts_on=FIRST.date(), conditions={"account": ACCOUNT}
    )
    mara.ownership_rules.set("tarnwick", [rule], 0)
    form = PullForm(
        kind=PullKind.OPENSTACK_METRICS,
        endpoint=cloud.identity,
        queries=[BUSY, SENT],
        step_seconds=300,
        starts_at=FIRST,
    )
    tried = mara.pulls.attempt(FEED, form, cloud.secret)
    assert tried.reached and tried.refused == 0, tried
    mara.pulls.set(FEED, form, version=0, secret=cloud.secret)
    assert until(world, END).problem is None
    # By hand: two for an hour, four for the rest but for half an hour. The other machine, nobody's, is eight all along.
    mine = 3600 * 2 + (2 * 3600 - 30 * 60) * 4
    assert used(world, "compute/vcpu") == mine
    # Thirty-six steps of 3072, but for the one in which it began anew from zero, to a half.
    assert used(world, "network/egress") == Decimal(35 * 3072) + Decimal("0.5")
    found = world.user("ines").spend.period_so_far("saltmarsh", "2026-10", wait=60)
    assert "egress" in {line.rate for link in found.links for line in link.lines}
    [other] = mara.ownership_rules.unowned("tarnwick", "2026-10").items
    assert (other.account, other.resources) == ("another", 1)
    assert [(each.meter, each.quantity) for each in other.quantities] == [("compute/vcpu", 3 * 3600 * 8)]
