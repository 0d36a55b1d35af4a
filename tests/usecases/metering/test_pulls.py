"""Feeds that the service fetches itself: hour by hour, each once, whatever the other side does."""

import re
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from urllib.parse import quote

import pytest

from gradumen.adapters.sources import source_of
from gradumen.core.errors import Conflict, EditedMeanwhile, FeedsIncomplete, Forbidden, Invalid, NotFound
from gradumen.core.metering.pulls import How
from gradumen.core.metering.readings import Reading
from gradumen.core.permissions import Role
from gradumen.core.tasks import LEASE
from gradumen.demo.metrics import SimulatedMetrics
from gradumen.feeds.series_readings import hour_readings
from gradumen.jobs.leases import now
from gradumen.usecases import tasks
from gradumen.usecases.metering.pull_runs import end_run, pull_to_do, schedule_pulls, take_hour
from gradumen.wire.metering.pulls import PullBody, PullForm, PullQueryForm
from tests.conftest import Service
from tests.world import World, join

FEED = "tarnwick/north-fell"
FIRST = datetime(2026, 10, 4, 20, tzinfo=UTC)
SENT = PullQueryForm(
    name="sent", query="sent_bytes_total", meter="network/egress", unit="byte", how=How.COUNTER,
    resource=["machine", "card"], owner="project",
)  # fmt: skip
BUSY = PullQueryForm(
    name="busy", query="vcpus", meter="compute/vcpu", unit="vCPU", how=How.LEVEL, resource=["machine"],
    owner="project", attributes={"size": "size"},
)  # fmt: skip
WEB = {"machine": "web-1", "card": "eth0", "project": "saltmarsh/booking"}


def rising(at: datetime) -> str:
    """A thousand bytes a minute; it begins anew at 22:30."""
    anew = datetime(2026, 10, 4, 22, 30, tzinfo=UTC)
    since = anew if at >= anew else datetime(2026, 10, 1, tzinfo=UTC)
    return str((at - since) // timedelta(minutes=1) * 1000)


def two_or_four(at: datetime) -> str | None:
    """Two processors, four from 21:15 on, and nothing measured from 23:40 to 23:50."""
    if at.hour == 23 and 40 <= at.minute < 50:
        return None
    return "4" if (at.hour, at.minute) >= (21, 15) else "2"


@pytest.fixture
def form(metrics: SimulatedMetrics) -> Iterator[PullForm]:
    metrics.series = {
        "sent_bytes_total": [(WEB, rising)],
        "vcpus": [({"machine": "web-1", "project": "saltmarsh/booking", "size": "large"}, two_or_four)],
    }
    metrics.asked.clear()
    yield PullForm(endpoint=metrics.url, queries=[SENT, BUSY], starts_at=FIRST)
    metrics.mishaps.clear()


def until(world: World, moment: datetime, *, feed: str = FEED) -> PullBody:
    """The pull once it is complete up to a moment, or has a problem."""
    ends = time.monotonic() + 120
    while time.monotonic() < ends:
        found = world.mara.pulls.get(feed)
        if found.problem or (found.complete_until and found.complete_until >= moment):
            return found
        time.sleep(0.05)
    raise AssertionError(f"not complete until {moment}: {found}")


def used(world: World, meter: str) -> Decimal:
    world.settle()
    items = world.mara.usage.sum("tarnwick", "2026-10", by=("project",), wait=60).items
    return sum((each.quantity for each in items if each.meter == meter), Decimal(0))


def hold(world: World, moment: datetime) -> None:
    world.mara.clock.set(moment, held=True)


END = datetime(2026, 10, 5, tzinfo=UTC)
BYTES = 4 * 60 * 1000 - 1000
"""Four hours of a thousand a minute, but for the minute in which it began anew."""
SECONDS = (75 * 2 + (105 + 60 - 10) * 4) * 60
"""Two for 75 minutes, then four but where nothing was measured."""


def test_what_is_fetched_is_used_and_each_hour_once(world: World, form: PullForm, metrics: SimulatedMetrics) -> None:
    hold(world, END + timedelta(minutes=30))
    tried = world.mara.pulls.attempt(FEED, form, metrics.token)
    assert (tried.reached, tried.said, tried.refused) == (True, "it answers, version simulated", 0)
    assert [(each.resource, each.quantity, each.unit) for each in tried.readings] == [
        ("web-1/eth0", "60000", "byte"), ("web-1", "4", "vCPU"), ("web-1", "4", "vCPU"),
    ]  # fmt: skip
    assert world.mara.feeds.deliveries(FEED) == [], "trying takes nothing in"
    made = world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    assert (made.version, made.has_secret, made.complete_until) == (1, True, FIRST)
    found = until(world, END)
    assert found.problem is None and found.complete_until == END and not found.behind
    assert (used(world, "network/egress"), used(world, "compute/vcpu")) == (BYTES, SECONDS)
    names = [each.file for each in world.mara.feeds.deliveries(FEED)]
    assert names == [f"2026-10-04 {hour}:00 to {(hour + 1) % 24:02}:00 UTC" for hour in (23, 22, 21, 20)]
    # Asked for once more, nothing of it is taken in again.
    world.mara.pulls.again(FEED, FIRST)
    assert until(world, END).problem is None
    assert len(world.mara.feeds.deliveries(FEED)) == 4
    # What is measured otherwise by now stands in the place of what was.
    metrics.series["vcpus"] = [({**WEB, "size": "large"}, lambda at: "1" if at.hour == 22 else two_or_four(at))]
    world.mara.pulls.again(FEED, FIRST + timedelta(hours=2))
    until(world, END)
    assert used(world, "compute/vcpu") == SECONDS - 3 * 3600
    assert used(world, "network/egress") == BYTES
    back = [each for each in world.mara.feeds.deliveries(FEED) if each.taken_back_at]
    assert [each.file for each in back] == ["2026-10-04 22:00 to 23:00 UTC"]
    # The next hour comes by itself when it is over and has rested.
    hold(world, END + timedelta(hours=1, minutes=20))
    world.mara.pulls.again(FEED)
    assert until(world, END + timedelta(hours=1)).complete_until == END + timedelta(hours=1)


@pytest.mark.parametrize(
    ("mishap", "said"),
    [
        ("refuse", "it answered 503"),
        ("drop", "does not answer"),
        ("slow", "does not answer"),
        ("drip", "does not answer"),
        ("elsewhere", "leads elsewhere"),
        ("nonsense", "no range of series"),
        ("endless", "larger than|does not answer"),
    ],
)
def test_what_goes_wrong_is_told_and_nothing_is_lost_or_twice(
    world: World, form: PullForm, metrics: SimulatedMetrics, mishap: str, said: str
) -> None:
    hold(world, END + timedelta(minutes=30))
    metrics.mishaps.extend(["", "", "", "", mishap])
    world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    found = until(world, END)
    assert found.problem is not None and found.failing_since is not None
    assert re.search(said, found.problem), found.problem
    assert found.complete_until == FIRST + timedelta(hours=2), "the hours before are whole, that one is not begun"
    assert [each.accepted for each in world.mara.feeds.deliveries(FEED)] == [3, 2]
    told = [each for each in world.mara.to_dos.list("tarnwick") if each.kind == "feed"]
    assert [each.subject for each in told] == [FEED] and found.problem in told[0].detail
    world.mara.pulls.again(FEED)
    ends = time.monotonic() + 120
    while (found := world.mara.pulls.get(FEED)).problem is not None and time.monotonic() < ends:
        time.sleep(0.05)
    assert (found.complete_until, found.problem, found.failing_since) == (END, None, None)
    assert (used(world, "network/egress"), used(world, "compute/vcpu")) == (BYTES, SECONDS)


def test_an_hour_in_which_nothing_was_measured_is_told_and_fetched_once_more(
    world: World, form: PullForm, metrics: SimulatedMetrics
) -> None:
    hold(world, END + timedelta(minutes=30))
    whole = metrics.series
    metrics.series = {
        query: [(labels, lambda at, value=value: None if at > FIRST + timedelta(hours=2) else value(at))]
        for query, [(labels, value)] in whole.items()
    }
    world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    found = until(world, END)
    assert (found.complete_until, found.problem) == (END, None), "it goes on all the same"
    quiet = FIRST + timedelta(hours=3)
    assert found.quiet_from == quiet
    # The hours that follow have something again; that one stays told.
    metrics.series = whole
    hold(world, END + timedelta(hours=1, minutes=20))
    world.mara.pulls.again(FEED)
    assert until(world, END + timedelta(hours=1)).quiet_from == quiet
    [told] = [each for each in world.mara.to_dos.list("tarnwick") if each.kind == "feed"]
    assert told.subject == FEED and "nothing was measured from 2026-10-04 23:00 UTC on" in told.detail
    world.mara.pulls.again(FEED, FIRST + timedelta(hours=2))
    assert until(world, END + timedelta(hours=1)).quiet_from is None
    # Asked for once more by somebody, nothing is nothing.
    metrics.series = {query: [(labels, lambda at: None)] for query, [(labels, _)] in whole.items()}
    world.mara.pulls.again(FEED, END)
    assert until(world, END + timedelta(hours=1)).quiet_from is None
    assert [each for each in world.mara.to_dos.list("tarnwick") if each.kind == "feed"] == []
    assert (used(world, "network/egress"), used(world, "compute/vcpu")) == (BYTES, SECONDS)


def test_what_cannot_be_a_reading_is_refused_with_its_reason_and_the_rest_counts(
    world: World, form: PullForm, metrics: SimulatedMetrics
) -> None:
    hold(world, END + timedelta(minutes=30))
    metrics.series["sent_bytes_total"] += [
        ({"machine": "web-2"}, rising),
        ({**WEB, "card": "eth1"}, lambda at: "NaN"),
        ({**WEB, "card": "eth2", "project": "nobody/such"}, rising),
    ]
    tried = world.mara.pulls.attempt(FEED, form, metrics.token)
    assert (tried.count, tried.refused) == (3, 3)
    reasons = " | ".join(each.reason for each in tried.problems)
    for part in ("no label card", "'NaN' is no number", "owner 'nobody/such' is no project"):
        assert part in reasons
    world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    until(world, END)
    assert used(world, "network/egress") == BYTES
    assert {each.refused for each in world.mara.feeds.deliveries(FEED)} == {3}


def test_secrets_stay_and_only_those_who_manage_feeds_see_where_it_is_fetched(
    world: World, form: PullForm, metrics: SimulatedMetrics
) -> None:
    mara = world.mara
    hold(world, END + timedelta(minutes=30))
    mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    until(world, END)
    http = mara.connection.http
    for path in (f"feeds/pull?feed={quote(FEED)}", "organisations/tarnwick/pulls"):
        assert metrics.token not in http.get(path).text
    join(world, "mara", "tarnwick", "viola@tarnwick.example", Role.VIEWER)
    for user in ("finn", "oda"):
        if user == "finn":
            seen = world.user(user).pulls.get(FEED)
            assert seen.kind == "prometheus" and seen.pull is None and not seen.has_secret
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).pulls.set(FEED, form, version=1)
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).pulls.attempt(FEED, form)
    with pytest.raises(NotFound):
        world.user("edda").pulls.get(FEED)
    elsewhere = form.model_copy(update={"endpoint": metrics.url.replace("127.0.0.1", "localhost")})
    with pytest.raises(Invalid, match="not among what the operator lets be called"):
        mara.pulls.set(FEED, elsewhere, version=1, secret="x")
    other = form.model_copy(update={"user": "somebody"})
    with pytest.raises(Conflict, match="enter it anew"):
        mara.pulls.set(FEED, other, version=1)
    assert not mara.pulls.attempt(FEED, other).reached, "the secret goes nowhere else"
    with pytest.raises(EditedMeanwhile):
        mara.pulls.set(FEED, form.model_copy(update={"every_minutes": 30}), version=7)
    assert mara.pulls.set(FEED, form, version=0).version == 1, "the same again changes nothing"
    told = [each for each in mara.audit_entries.list("tarnwick") if each.action == "pull set"]
    assert told and metrics.token not in str([each.after for each in told])


def test_it_rests_goes_on_with_what_was_missed_and_ends(
    world: World, form: PullForm, metrics: SimulatedMetrics
) -> None:
    mara = world.mara
    hold(world, END + timedelta(minutes=30))
    mara.pulls.set(
        FEED, form.model_copy(update={"starts_at": END - timedelta(hours=1)}), version=0, secret=metrics.token
    )
    until(world, END)
    assert mara.pulls.pause(FEED, paused=True).paused
    hold(world, END + timedelta(hours=9))
    with pytest.raises(Conflict, match="rests"):
        mara.pulls.again(FEED)
    asked = len(metrics.asked)
    time.sleep(0.3)
    found = mara.pulls.list("tarnwick")[0]
    assert len(metrics.asked) == asked and not found.behind and found.next_run_at is None
    assert mara.pulls.pause(FEED, paused=False).behind, "nine hours are missing by now"
    assert not until(world, END + timedelta(hours=8)).behind
    mara.pulls.drop(FEED)
    mara.pulls.drop(FEED)
    assert mara.pulls.get(FEED).kind is None and mara.pulls.list("tarnwick") == []
    with pytest.raises(NotFound):
        mara.pulls.again(FEED)
    assert len(mara.feeds.deliveries(FEED)) == 9, "what came stays"


def test_a_worker_that_lost_its_lease_takes_nothing_in_and_an_hour_is_taken_once(
    world: World, form: PullForm, metrics: SimulatedMetrics, service: Service
) -> None:
    hold(world, END + timedelta(minutes=30))
    uow = service.uow
    with service.worker.gate:
        world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
        at = now()
        schedule_pulls(uow, at=at)
        while (lost := tasks.take_task(uow, at=now())) is not None and lost.kind != tasks.PULL:
            tasks.finish_task(uow, lease=lost, at=now())
        assert lost is not None
        asking = pull_to_do(uow, lease=lost, at=at)
        window = asking.windows[0]
        with source_of(service.door, asking.form, asking.secret) as source:
            items = [each for each in hour_readings(source.over, asking.form, window) if isinstance(each, Reading)]
        # Its time ran out, and another took the run.
        other = tasks.take_task(uow, at=now() + LEASE * 2)
        assert other is not None and other.task == lost.task and other.fence > lost.fence
        taking = {"asked": asking.form, "window": window, "items": items, "at": at}
        with pytest.raises(Conflict):
            take_hour(uow, lease=lost, **taking)
        assert world.mara.feeds.deliveries(FEED) == []
        assert take_hour(uow, lease=other, **taking) == (len(items), 0) and items
        with pytest.raises(EditedMeanwhile):
            take_hour(uow, lease=other, **taking)
        end_run(uow, lease=lost, problem="a word of the one that lost it", passing=True, at=at)
        assert world.mara.pulls.get(FEED).problem is None
        end_run(uow, lease=other, problem=None, passing=False, at=at)
        tasks.finish_task(uow, lease=other, at=now())
    assert until(world, END).complete_until == END
    assert (used(world, "network/egress"), used(world, "compute/vcpu")) == (BYTES, SECONDS)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"step_seconds": 7}, "step_seconds"),
        ({"every_minutes": 1}, "every_minutes"),
        ({"settles_minutes": 99999}, "settles_minutes"),
        ({"starts_at": datetime(2020, 1, 1, tzinfo=UTC)}, "starts_at"),
        ({"queries": [SENT, SENT]}, "queries"),
        ({"queries": [SENT.model_copy(update={"meter": "network/nothing"})]}, "queries[0].meter"),
        ({"endpoint": "file:///etc/passwd"}, "endpoint"),
        ({"endpoint": "http://169.254.169.254/"}, "endpoint"),
    ],
)
def test_what_cannot_be_is_refused_by_its_field(world: World, form: PullForm, change: object, field: str) -> None:
    wrong = form.model_copy(update=change)
    with pytest.raises(Invalid) as refused:
        world.mara.pulls.set(FEED, wrong, version=0)
    assert refused.value.facts["field"] == field
    assert world.mara.pulls.get(FEED).kind is None


def test_a_query_that_is_wrong_there_is_told_as_it_is_told_there(
    world: World, form: PullForm, metrics: SimulatedMetrics, service: Service
) -> None:
    tried = world.mara.pulls.attempt(FEED, form, "another token")
    assert (tried.reached, tried.said) == (False, "it does not let the token, or the user, in")


def test_a_month_is_not_closed_before_its_last_hour_is_fetched(
    world: World, form: PullForm, metrics: SimulatedMetrics
) -> None:
    hold(world, END + timedelta(minutes=30))
    world.mara.pulls.set(FEED, form, version=0, secret=metrics.token)
    until(world, END)
    world.mara.pulls.pause(FEED, paused=True)
    hold(world, datetime(2026, 11, 2, tzinfo=UTC))
    with pytest.raises(FeedsIncomplete, match="all is here until 2026-10-05 00:00 UTC, it is paused"):
        world.mara.bill_runs.start("tarnwick", "2026-10")
    assert world.close("tarnwick", "mara", "2026-09", issue=False), "it began after September"
    world.mara.pulls.drop(FEED)
    assert world.close("tarnwick", "mara", "2026-10", issue=False)
